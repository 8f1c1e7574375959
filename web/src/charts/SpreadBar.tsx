/** An estimate as a notch on a line that spans its interval, on a scale shared by a whole column. */
import { placeOn, type Scale } from "./scale";

interface Props {
  low: number | null | undefined;
  estimate: number | null | undefined;
  high: number | null | undefined;
  /** The scale, or the end of one that begins at 0. */
  scale: Scale | number;
  /** The estimate of the period before, as a hollow mark. */
  before?: number | null;
  /** Where the estimate will be once what is still to come has come. */
  expected?: number | null;
  thin?: boolean;
  tone?: "ink" | "fern" | "brick";
  width?: number;
  label: string;
}
const TONES = { ink: "var(--color-ink)", fern: "var(--color-fern)", brick: "var(--color-brick)" };

export function SpreadBar({
  low,
  estimate,
  high,
  scale,
  before,
  expected,
  thin,
  tone = "ink",
  width = 72,
  label,
}: Props) {
  if (estimate == null) return <span className="inline-block" style={{ width }} />;
  const of: Scale = typeof scale === "number" ? { low: 0, high: scale, log: false } : scale;
  const at = (value: number) => Math.min(width - 1.5, Math.max(1.5, placeOn(of, value) * width));
  const place = placeOn(of, estimate);
  const beyond = place > 1 ? 1 : place < 0 && of.log && estimate > 0 ? -1 : 0;
  const from = low == null ? 1.5 : at(low);
  const to = high == null ? width - 1.5 : at(high);
  return (
    <svg width={width} height={18} role="img" aria-label={label} className="inline-block align-middle">
      <title>{label}</title>
      <line x1={0} x2={width} y1={9} y2={9} stroke="var(--color-line)" />
      {of.mark !== undefined && (
        <line x1={at(of.mark)} x2={at(of.mark)} y1={1} y2={17} stroke="var(--color-quiet)" strokeDasharray="2 2" />
      )}
      <rect
        x={from}
        width={Math.max(2, to - from)}
        y={thin ? 5 : 7}
        height={thin ? 8 : 4}
        fill={thin ? "url(#thin)" : TONES[tone]}
        opacity={thin ? 0.8 : 0.38}
      />
      {before != null && (
        <circle
          cx={at(before)}
          cy={9}
          r={3}
          fill="var(--color-surface)"
          stroke="var(--color-quiet)"
          strokeWidth={1.3}
        />
      )}
      {expected != null && (
        <g stroke={TONES[tone]} strokeDasharray="1.5 1.5">
          <line x1={at(estimate)} x2={at(expected)} y1={4} y2={4} />
          <line x1={at(expected)} x2={at(expected)} y1={4} y2={15} strokeWidth={1.5} />
        </g>
      )}
      {beyond ? (
        // Farther than the scale reaches; how far is the number beside it.
        <path
          d={beyond > 0 ? `M${width - 7} 4 L${width} 9 L${width - 7} 14 Z` : "M7 4 L0 9 L7 14 Z"}
          fill={TONES[tone]}
        />
      ) : (
        <line x1={at(estimate)} x2={at(estimate)} y1={3} y2={15} stroke={TONES[tone]} strokeWidth={2} />
      )}
    </svg>
  );
}

/** The hatching of thin data, once a page: patterns are found by their id. */
export function ThinPattern() {
  return (
    <svg width={0} height={0} className="absolute" aria-hidden="true">
      <defs>
        <pattern id="thin" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="1.6" height="4" fill="var(--color-quiet)" />
        </pattern>
      </defs>
    </svg>
  );
}

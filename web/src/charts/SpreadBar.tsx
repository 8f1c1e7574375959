/** An estimate as a notch on a line that spans its interval, on a scale shared by a whole column. */
interface Props {
  low: number | null | undefined;
  estimate: number | null | undefined;
  high: number | null | undefined;
  /** The end of the scale; it begins at 0. */
  max: number;
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
  max,
  before,
  expected,
  thin,
  tone = "ink",
  width = 72,
  label,
}: Props) {
  if (estimate == null) return <span className="inline-block" style={{ width }} />;
  const at = (value: number) => Math.min(width - 1.5, Math.max(1.5, (value / max) * width));
  const from = at(low ?? 0);
  const to = at(high ?? max);
  return (
    <svg width={width} height={18} role="img" aria-label={label} className="inline-block align-middle">
      <title>{label}</title>
      <line x1={0} x2={width} y1={9} y2={9} stroke="var(--color-line)" />
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
      <line x1={at(estimate)} x2={at(estimate)} y1={3} y2={15} stroke={TONES[tone]} strokeWidth={2} />
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

/** The next round number above the largest value, for a scale that a person can read. */
export function scaleEnd(values: (number | null | undefined)[]) {
  const top = Math.max(0, ...values.map((v) => (v == null || !Number.isFinite(v) ? 0 : v)));
  if (!top) return 1;
  const size = 10 ** Math.floor(Math.log10(top));
  return ([1, 1.5, 2, 3, 4, 5, 6, 8, 10].find((step) => step * size >= top) ?? 10) * size;
}

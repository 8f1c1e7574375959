/** A number over time: its notches joined, its interval as a band, the period before behind it, and what was noted below. */
import { useSmall } from "../lib/useSmall";
import { scaleEnd } from "./scale";

export interface CurvePoint {
  /** The day, or a week's first. */
  start: string;
  value: number | null;
  low?: number | null;
  high?: number | null;
  thin?: boolean;
  /** What is still to be expected: drawn hollow, above what there is. */
  more?: number | null;
  /** Not over yet, or cut by the period's ends. */
  partial?: boolean;
}

interface Props {
  points: CurvePoint[];
  before: CurvePoint[];
  write: (value: number) => string;
  day: (iso: string) => string;
  /** Places of points that have a note. */
  noted: Set<number>;
  chosen: number | undefined;
  choose: (place: number | undefined) => void;
  label: string;
}

const [HIGH, LEFT, TOP, BELOW] = [220, 58, 10, 34];

export function Curve({ points, before, write, day, noted, chosen, choose, label }: Props) {
  const WIDE = useSmall() ? 420 : 1000;
  const solid = (p: CurvePoint) => (p.thin || p.partial ? p.value : (p.high ?? p.value));
  const expected = (p: CurvePoint) => (p.value ?? 0) + (p.more ?? 0);
  const end = scaleEnd([...points.map(solid), ...points.map(expected), ...before.map((p) => p.value)]);
  const lowest = Math.min(0, ...points.map((p) => p.value ?? 0));
  const step = (WIDE - LEFT) / Math.max(1, points.length);
  const x = (place: number) => LEFT + (place + 0.5) * step;
  const y = (value: number) => {
    const within = Math.max(lowest, Math.min(end, value));
    return TOP + (1 - (within - lowest) / (end - lowest)) * (HIGH - TOP);
  };
  // A gap where there is no value: a line over it would say that there was one.
  const line = (some: CurvePoint[]) =>
    some
      .map((p, i) => (p.value == null ? "" : `${i && some[i - 1]?.value != null ? "L" : "M"}${x(i)} ${y(p.value)}`))
      .join("");
  const every = Math.ceil(points.length / (WIDE / 110));
  return (
    <svg viewBox={`0 0 ${WIDE} ${HIGH + BELOW}`} className="w-full" role="img" aria-label={label}>
      {[0, 0.5, 1].map((part) => {
        const value = lowest + part * (end - lowest);
        return (
          <g key={part}>
            <line x1={LEFT} x2={WIDE} y1={y(value)} y2={y(value)} stroke="var(--color-line)" />
            <text
              x={LEFT - 8}
              y={y(value) + 4}
              textAnchor="end"
              className="num"
              fontSize={12}
              fill="var(--color-quiet)"
            >
              {write(value)}
            </text>
          </g>
        );
      })}
      {points.map((p, i) =>
        p.low == null && p.high == null ? null : (
          <rect
            key={p.start}
            x={x(i) - Math.max(1, step / 2 - 1)}
            width={Math.max(2, step - 2)}
            y={y(p.high ?? end)}
            height={Math.max(1, y(p.low ?? lowest) - y(p.high ?? end))}
            fill={p.thin || p.partial ? "url(#thin)" : "var(--color-ink)"}
            opacity={p.thin || p.partial ? 0.55 : 0.16}
          />
        ),
      )}
      <path d={line(before)} fill="none" stroke="var(--color-quiet)" strokeWidth={1.2} strokeDasharray="3 3" />
      <path d={line(points)} fill="none" stroke="var(--color-ink)" strokeWidth={1.8} />
      {points.map((p, i) => (
        <g key={p.start}>
          {p.value != null && (
            <line
              x1={x(i) - Math.min(6, step / 3)}
              x2={x(i) + Math.min(6, step / 3)}
              y1={y(p.value)}
              y2={y(p.value)}
              stroke="var(--color-ink)"
              strokeWidth={2.4}
            />
          )}
          {p.more != null && p.more > 0 && (
            <>
              <line x1={x(i)} x2={x(i)} y1={y(p.value ?? 0)} y2={y(expected(p))} stroke="var(--color-quiet)" />
              <circle
                cx={x(i)}
                cy={y(expected(p))}
                r={3.5}
                fill="var(--color-surface)"
                stroke="var(--color-ink)"
                strokeWidth={1.4}
              />
            </>
          )}
          {noted.has(i) && (
            <rect x={x(i) - 3.5} y={HIGH + 4} width={7} height={7} fill="var(--color-marigold)">
              <title>Something was noted</title>
            </rect>
          )}
          {i === chosen && (
            <line x1={x(i)} x2={x(i)} y1={TOP} y2={HIGH} stroke="var(--color-plum)" strokeDasharray="2 2" />
          )}
          {i % every === 0 && (
            <text x={x(i)} y={HIGH + 28} textAnchor="middle" className="num" fontSize={12} fill="var(--color-quiet)">
              {day(p.start)}
            </text>
          )}
          <rect
            x={x(i) - step / 2}
            y={0}
            width={step}
            height={HIGH + 14}
            fill="transparent"
            onPointerEnter={() => choose(i)}
            onPointerDown={() => choose(i)}
          />
        </g>
      ))}
    </svg>
  );
}

/** Counts by day as thin bars. */
import { count, day, dayOf } from "../lib/format";

interface Props {
  values: number[];
  /** The first day, where it is to be named. */
  first?: string;
  height?: number;
  /** Moments at which what is counted was changed: marked below their day. */
  changes?: string[];
}

/** Which bar a moment belongs to, the last one being today's. */
const place = (iso: string, days: number) => {
  const noon = (at: Date) => Date.parse(`${dayOf(at)}T12:00Z`);
  return days - 1 - (noon(new Date()) - noon(new Date(iso))) / 864e5;
};

export function DayBars({ values, first, height = 44, changes = [] }: Props) {
  const top = Math.max(1, ...values);
  const bars = values
    .map((value, index) => {
      const size = (value / top) * (height - 2);
      return `M${index * 10 + 1} ${height}v${-size}h8v${size}z`;
    })
    .join("");
  const total = values.reduce((a, b) => a + b, 0);
  return (
    <figure>
      <svg
        viewBox={`0 0 ${values.length * 10} ${height}`}
        preserveAspectRatio="none"
        className="w-full"
        height={height}
        role="img"
        aria-label={`${count(total)} over ${values.length} days, at most ${count(top)} a day${
          changes.length ? `; the rule was changed on ${changes.map(day).join(", ")}` : ""
        }`}
      >
        <path d={bars} fill="var(--color-ink)" />
        {changes.map((iso) => (
          <rect
            key={iso}
            x={place(iso, values.length) * 10 + 4}
            y={0}
            width={2}
            height={height}
            fill="var(--color-marigold)"
          />
        ))}
        <line x1={0} x2={values.length * 10} y1={height - 0.5} y2={height - 0.5} stroke="var(--color-line)" />
      </svg>
      {first && (
        <figcaption className="num flex justify-between text-quiet">
          <span>{day(first)}</span>
          <span>today</span>
        </figcaption>
      )}
    </figure>
  );
}

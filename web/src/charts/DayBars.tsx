/** Counts by day as thin bars. */
import { count, day } from "../parts/format";

export function DayBars({ values, first, height = 44 }: { values: number[]; first?: string; height?: number }) {
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
        aria-label={`${count(total)} over ${values.length} days, at most ${count(top)} a day`}
      >
        <path d={bars} fill="var(--color-ink)" />
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

/** Counts by day as thin bars. */
import { count, day } from "../parts/format";

export function DayBars({ values, first, height = 44 }: { values: number[]; first?: string; height?: number }) {
  const top = Math.max(1, ...values);
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
        {values.map((value, index) => {
          const size = (value / top) * (height - 2);
          // biome-ignore lint/suspicious/noArrayIndexKey: a bar is its day
          return <rect key={index} x={index * 10 + 1} width={8} y={height - size} height={size} fill="var(--color-ink)" />;
        })}
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

/** How many people a lookback of so many days gives, with the chosen length marked. */
import { count } from "../lib/format";

interface Props {
  points: { days: number; people: number }[];
  chosen: number;
  choose?: (days: number) => void;
}

const [WIDE, HIGH, LEFT, TOP, RIGHT, BOTTOM] = [380, 170, 8, 18, 10, 20];

export function LengthCurve({ points, chosen, choose }: Props) {
  const last = points.at(-1);
  if (!last || points.length < 2) return null;
  const first = points[0]?.days ?? 0;
  const top = Math.max(1, ...points.map((p) => p.people));
  const x = (days: number) => LEFT + ((days - first) / Math.max(1, last.days - first)) * (WIDE - LEFT - RIGHT);
  const y = (people: number) => HIGH - BOTTOM - (people / top) * (HIGH - TOP - BOTTOM);
  const here = points.find((p) => p.days === chosen);
  const path = points.map((p, i) => `${i ? "L" : "M"}${x(p.days).toFixed(1)} ${y(p.people).toFixed(1)}`).join("");
  const nearest = (at: number) =>
    points.reduce((a, b) => (Math.abs(x(b.days) - at) < Math.abs(x(a.days) - at) ? b : a));
  const side = here && x(here.days) > WIDE * 0.62 ? "end" : "start";
  return (
    <figure>
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: the length is a field of the line as well. */}
      <svg
        viewBox={`0 0 ${WIDE} ${HIGH}`}
        className="w-full"
        role="img"
        aria-label={`${count(points[0]?.people)} people for ${first} days, ${count(last.people)} for ${last.days}${
          here ? `; ${count(here.people)} for the chosen ${here.days}` : ""
        }`}
        onClick={(e) => {
          const box = e.currentTarget.getBoundingClientRect();
          choose?.(nearest(((e.clientX - box.left) / box.width) * WIDE).days);
        }}
      >
        <line x1={LEFT} x2={WIDE - RIGHT} y1={HIGH - BOTTOM} y2={HIGH - BOTTOM} stroke="var(--color-quiet)" />
        <path d={path} fill="none" stroke="var(--color-plum)" strokeWidth={1.75} />
        {here && (
          <>
            <line
              x1={x(here.days)}
              x2={x(here.days)}
              y1={TOP - 8}
              y2={HIGH - BOTTOM}
              stroke="var(--color-ink)"
              strokeDasharray="3 3"
            />
            <circle cx={x(here.days)} cy={y(here.people)} r={3} fill="var(--color-plum)" />
            <text
              x={x(here.days) + (side === "start" ? 6 : -6)}
              y={TOP - 4}
              textAnchor={side}
              className="num fill-ink text-mark"
            >
              {here.days} {here.days === 1 ? "day" : "days"}: {count(here.people)}
            </text>
          </>
        )}
        <text x={LEFT} y={HIGH - 5} className="num fill-quiet text-mark">
          {first}
        </text>
        <text x={WIDE - RIGHT} y={HIGH - 5} textAnchor="end" className="num fill-quiet text-mark">
          {last.days} days
        </text>
      </svg>
    </figure>
  );
}

/** Where the true difference lies, day by day: a band around a line, and the band that is not worth having. */
import { AxisBottom, AxisLeft } from "@visx/axis";
import { scaleLinear, scaleUtc } from "@visx/scale";
import { AreaClosed, LinePath } from "@visx/shape";
import { useEffect, useId, useRef, useState } from "react";
import { day, signed } from "../lib/format";

export interface RangeDay {
  day: string;
  low: number | null;
  estimate: number | null;
  high: number | null;
  visitors: number;
}
interface Props {
  days: RangeDay[];
  /** Half the width of the band around 0 that is not worth having. */
  worth: number;
  decided?: string | null;
  /** When the rule of the conversion was changed. */
  changes?: string[];
  /** Of what a difference is per 100 visitors. */
  unit: string;
  height?: number;
}
const MARGIN = { top: 12, right: 12, bottom: 26, left: 52 };
const axis = { fill: "var(--color-quiet)", fontFamily: "var(--font-mono)", fontSize: 11.5 };
const at = (iso: string) => Date.parse(`${iso}T12:00:00Z`);

export function RangeChart({ days, worth, decided, unit, changes = [], height = 260 }: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(640);
  const [over, setOver] = useState<number>();
  useEffect(() => {
    if (!frame.current) return;
    const observer = new ResizeObserver(([entry]) => entry && setWidth(Math.max(280, entry.contentRect.width)));
    observer.observe(frame.current);
    return () => observer.disconnect();
  }, []);
  const clip = useId();
  const known = days.filter((d) => d.low != null && d.high != null && d.estimate != null);
  const first = days[0];
  const last = days[days.length - 1];
  if (!first || !last || !known.length)
    return (
      <div ref={frame}>
        <p className="py-8 text-quiet">The range begins once every variant has 5 converted visitors.</p>
      </div>
    );
  // The first days' ranges are wide beyond reading: the scale is set by those from a quarter of the way on.
  const settled = known.slice(Math.min(known.length - 1, Math.floor(known.length / 4)));
  const top = Math.max(worth * 1.6, ...settled.map((d) => Math.max(Math.abs(d.low ?? 0), Math.abs(d.high ?? 0))));
  const x = scaleUtc({
    domain: [at(first.day), Math.max(at(last.day), at(first.day) + 864e5)],
    range: [MARGIN.left, width - MARGIN.right],
  });
  const y = scaleLinear({ domain: [-top, top], range: [height - MARGIN.bottom, MARGIN.top] });
  const px = (d: RangeDay) => x(at(d.day));
  const seen = over === undefined ? undefined : known[over];
  const span = { top: MARGIN.top, bottom: height - MARGIN.bottom, width };
  const per100 = (v: number) => signed(v * 100, top < 0.01 ? 2 : 1);
  return (
    <div ref={frame} className="relative">
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={`${unit}: on ${day(last.day)} between ${per100(known[known.length - 1]?.low ?? 0)} and ${per100(known[known.length - 1]?.high ?? 0)} per 100 visitors`}
        onPointerMove={(e) => {
          const mouse = e.clientX - e.currentTarget.getBoundingClientRect().left;
          let best = 0;
          known.forEach((d, i) => {
            const before = known[best];
            if (before && Math.abs(px(d) - mouse) < Math.abs(px(before) - mouse)) best = i;
          });
          setOver(best);
        }}
        onPointerLeave={() => setOver(undefined)}
      >
        <clipPath id={clip}>
          <rect
            x={MARGIN.left}
            y={MARGIN.top}
            width={width - MARGIN.left - MARGIN.right}
            height={height - MARGIN.top - MARGIN.bottom}
          />
        </clipPath>
        <rect
          x={MARGIN.left}
          width={width - MARGIN.left - MARGIN.right}
          y={y(worth)}
          height={y(-worth) - y(worth)}
          fill="var(--color-line)"
          opacity={0.45}
        />
        <line x1={MARGIN.left} x2={width - MARGIN.right} y1={y(0)} y2={y(0)} stroke="var(--color-ink)" />
        <g clipPath={`url(#${clip})`}>
          <AreaClosed
            data={known}
            x={px}
            y0={(d) => y(d.low ?? 0)}
            y1={(d) => y(d.high ?? 0)}
            yScale={y}
            fill="var(--color-plum)"
            fillOpacity={0.16}
            stroke="var(--color-plum)"
            strokeOpacity={0.6}
          />
          <LinePath data={known} x={px} y={(d) => y(d.estimate ?? 0)} stroke="var(--color-ink)" strokeWidth={2} />
        </g>
        {known.length === 1 && known[0] && (
          <circle cx={px(known[0])} cy={y(known[0].estimate ?? 0)} r={3} fill="var(--color-ink)" />
        )}
        {/* Within the band where it is wide enough, else under it. */}
        <text x={width - MARGIN.right - 4} y={y(-worth) + (y(-worth) - y(0) > 22 ? -5 : 14)} textAnchor="end" {...axis}>
          not worth having
        </text>
        {changes
          .map((iso) => iso.slice(0, 10))
          .filter((changedOn) => changedOn >= first.day && changedOn <= last.day)
          .map((changedOn) => (
            <Moment
              key={changedOn}
              x={x(at(changedOn))}
              y={MARGIN.top + 10}
              color="marigold"
              says="rule changed"
              {...span}
            />
          ))}
        {decided && (
          <Moment
            x={x(at(decided))}
            y={height - MARGIN.bottom - 8}
            color="fern"
            says={`decided ${day(decided)}`}
            {...span}
          />
        )}
        {seen && (
          <line
            x1={px(seen)}
            x2={px(seen)}
            y1={MARGIN.top}
            y2={height - MARGIN.bottom}
            stroke="var(--color-quiet)"
            strokeOpacity={0.5}
          />
        )}
        <AxisLeft
          scale={y}
          left={MARGIN.left}
          numTicks={5}
          hideAxisLine
          hideTicks
          tickFormat={(v) => per100(Number(v))}
          tickLabelProps={{ ...axis, textAnchor: "end", dx: -4, dy: 4 }}
        />
        <AxisBottom
          scale={x}
          top={height - MARGIN.bottom}
          numTicks={Math.min(days.length, Math.floor(width / 110))}
          stroke="var(--color-line)"
          tickStroke="var(--color-line)"
          tickFormat={(v) => day(new Date(Number(v)).toISOString())}
          tickLabelProps={{ ...axis, textAnchor: "middle" }}
        />
      </svg>
      {seen && (
        <p className="num pointer-events-none absolute top-1 right-2 bg-surface/90 px-1 text-fine">
          {day(seen.day)}: {per100(seen.low ?? 0)} to {per100(seen.high ?? 0)}, {seen.visitors.toLocaleString("en-GB")}{" "}
          visitors
        </p>
      )}
    </div>
  );
}

/** A day on which something happened: a line, and beside it what it was, on the side that has room. */
function Moment(props: {
  x: number;
  y: number;
  color: "fern" | "marigold";
  says: string;
  top: number;
  bottom: number;
  width: number;
}) {
  const left = props.x > props.width * 0.7;
  return (
    <g transform={`translate(${props.x} 0)`}>
      <line y1={props.top} y2={props.bottom} stroke={`var(--color-${props.color})`} strokeDasharray="3 3" />
      <text
        x={left ? -6 : 6}
        y={props.y}
        textAnchor={left ? "end" : "start"}
        {...axis}
        fill={`var(--color-${props.color})`}
      >
        {props.says}
      </text>
    </g>
  );
}

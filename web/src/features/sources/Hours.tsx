/** Visits by weekday and hour of the site: how many began, and what part of them led to a conversion. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Pictured } from "../../charts/Pictured";
import { scaleEnd } from "../../charts/scale";
import { Radios } from "../../components/Radios";
import { Scroll } from "../../components/Scroll";
import { Failed, Loading } from "../../components/ui";
import { count, percent, plural } from "../../lib/format";
import type { Lens } from "../../lib/lens";
import { hoursQuery } from "./queries";

const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const HOURS = Array.from({ length: 24 }, (_, hour) => hour);
const [WIDE, HIGH, SIDE, TOP] = [40, 56, 96, 24];

export function Hours({ siteId, lens, at }: { siteId: number; lens: Lens; at: string[] }) {
  const [shown, setShown] = useState<"entries" | "rate">("rate");
  const found = useQuery(hoursQuery(siteId, lens, at));
  if (found.isPending) return <Loading what="the hours" />;
  if (!found.data) return <Failed error={found.error} retry={found.refetch} />;
  const many = plural(found.data.lens.conversion?.category);
  const by = new Map(found.data.hours.map((h) => [`${h.weekday} ${h.hour}`, h]));
  const all = found.data.hours;
  const mostEntries = scaleEnd(all.map((h) => h.entries));
  const mostRate = scaleEnd(all.map((h) => (h.thin ? h.rate.estimate : h.rate.high)));
  return (
    <section className="mt-3" aria-busy={found.isPlaceholderData}>
      <div className="mb-2 flex flex-wrap items-center gap-x-6 gap-y-1">
        <Radios
          label="Drawn"
          className="flex flex-wrap gap-4"
          chosen={shown}
          choose={setShown}
          choices={{ rate: "conversion rate", entries: "visits that began" }}
        />
        <p className="text-small text-quiet">
          {shown === "rate"
            ? `Each line spans the interval of an hour’s rate, from 0 to ${percent(mostRate, 0)}; the notch is its estimate; hatched where fewer than five led to ${many}, or fewer than five did not.`
            : `Each bar is a number of visits, up to ${count(mostEntries)}.`}
        </p>
      </div>
      <Pictured name="hours">
        <Scroll label="Hours and weekdays">
          <svg width={SIDE + 24 * WIDE} height={TOP + 7 * HIGH} role="img" aria-label={spoken(all, many)}>
            {HOURS.map((hour) => (
              <text
                key={hour}
                x={SIDE + hour * WIDE + WIDE / 2}
                y={14}
                textAnchor="middle"
                className="num"
                fontSize={11.5}
                fill="var(--color-quiet)"
              >
                {hour}
              </text>
            ))}
            {DAYS.map((name, day) => (
              <g key={name} transform={`translate(0 ${TOP + day * HIGH})`}>
                <line x1={0} x2={SIDE + 24 * WIDE} y1={0} y2={0} stroke="var(--color-line)" />
                <text x={10} y={HIGH / 2 + 4} fontSize={13} fill="var(--color-ink)">
                  {name}
                </text>
                {HOURS.map((hour) => {
                  const h = by.get(`${day + 1} ${hour}`);
                  if (!h) return null;
                  const x = SIDE + hour * WIDE;
                  const says = `${name}, ${hour} to ${hour + 1} o’clock: ${count(h.entries)} visits, ${count(h.converted)} led to ${many} (${percent(h.rate.low, 1)} to ${percent(h.rate.high, 1)})`;
                  return (
                    <g key={hour}>
                      <title>{says}</title>
                      <rect x={x} y={1} width={WIDE} height={HIGH - 1} fill="transparent" />
                      {shown === "entries" ? (
                        <rect
                          x={x + 12}
                          width={WIDE - 24}
                          y={HIGH - 3 - (h.entries / mostEntries) * (HIGH - 8)}
                          height={(h.entries / mostEntries) * (HIGH - 8)}
                          fill="var(--color-ink)"
                        />
                      ) : (
                        <Span {...h.rate} thin={h.thin} x={x + WIDE / 2} end={mostRate} />
                      )}
                    </g>
                  );
                })}
              </g>
            ))}
          </svg>
        </Scroll>
      </Pictured>
    </section>
  );
}

interface SpanProps {
  low: number | null;
  estimate: number | null;
  high: number | null;
  thin: boolean;
  x: number;
  end: number;
}

function Span({ low, estimate, high, thin, x, end }: SpanProps) {
  const y = (value: number | null) => HIGH - 4 - Math.min(1, (value ?? 0) / end) * (HIGH - 9);
  const wide = thin ? 8 : 4;
  return (
    <>
      <rect
        x={x - wide / 2}
        width={wide}
        y={y(high)}
        height={Math.max(1, y(low) - y(high))}
        fill={thin ? "url(#thin)" : "var(--color-ink)"}
        opacity={thin ? 0.7 : 0.38}
      />
      <line x1={x - 5} x2={x + 5} y1={y(estimate)} y2={y(estimate)} stroke="var(--color-ink)" strokeWidth={2} />
    </>
  );
}

function spoken(all: { weekday: number; hour: number; entries: number }[], many: string) {
  const most = [...all].sort((a, b) => b.entries - a.entries)[0];
  if (!most) return "No visit";
  return `Visits and ${many} by weekday and hour; most visits begin on ${DAYS[most.weekday - 1]} between ${most.hour} and ${most.hour + 1} o’clock`;
}

/** What the ad side says against what Clabo saw, source by source, and why they differ. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { SpreadBar } from "../../charts/SpreadBar";
import { Word } from "../../components/LensSentence";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { cx, Empty, Failed, FormProblem, Loading, TextButton } from "../../components/ui";
import { count, day, money, percent, plural, several, signed } from "../../lib/format";
import { type Lens, MODELS } from "../../lib/lens";
import { useSite } from "../../lib/session";
import { countsQuery } from "./queries";

type Answer = Schemas["TwoCountsOut"];
type Side = Schemas["SideOut"];
type Part = Side["parts"][number]["part"];

export function TwoCounts({ siteId, lens }: { siteId: number; lens: Lens }) {
  const found = useQuery(countsQuery(siteId, lens));
  if (found.isPending) return <Loading what="both counts" />;
  if (!found.data) return <Failed error={found.error} retry={found.refetch} />;
  const answer = found.data;
  if (!answer.lens.conversion || !answer.sides.length)
    return (
      <div className="mt-5">
        <Empty title="There is no other count to hold against Clabo’s.">
          <p>
            {answer.lens.conversion
              ? "Take in a spend file of these days: with a column for its own conversions, both counts stand here."
              : "Say first what counts as a conversion."}
          </p>
          <Link to="/s/$siteId/spend" params={{ siteId: String(siteId) }} className="text-plum underline">
            Go to Spend
          </Link>
        </Empty>
      </div>
    );
  return (
    <div aria-busy={found.isPlaceholderData}>
      <p className="py-2 text-small text-quiet">
        Both counts stand on the day of the click.{" "}
        {(answer.lens.origin !== "any" || answer.lens.device !== "any") &&
          "Files know no device, and say their source themselves: all of each source is looked at. "}
        What cannot be measured is a rest, and stays one.
      </p>
      {answer.sides.map((side) => (
        <OneSide key={side.counting.source} siteId={siteId} side={side} answer={answer} />
      ))}
    </div>
  );
}

interface SideProps {
  siteId: number;
  side: Side;
  answer: Answer;
}

const whole = (value: string | number | null | undefined) => {
  const n = Number(value);
  return value == null ? "–" : Number.isInteger(n) ? count(n) : n.toFixed(1);
};
const change = (value: string | null) => {
  const n = Number(value);
  return value == null ? "–" : n === 0 ? "0" : signed(n, Number.isInteger(n) ? 0 : 1);
};

function OneSide({ siteId, side, answer }: SideProps) {
  const [byDay, setByDay] = useState(false);
  const many = several(answer.lens.conversion?.name ?? "");
  const { said, seen } = side;
  const [ads, ours] = [Number(said), Number(seen)];
  return (
    <section className="border-b py-4 last:border-b-0" aria-label={side.counting.source}>
      <h2 className="text-title">
        <bdi>{side.counting.source}</bdi>{" "}
        {said == null ? (
          <>
            says nothing of conversions; Clabo saw {whole(seen)} {many}
          </>
        ) : (
          <>
            says <span className="num">{whole(said)}</span> {many}, Clabo saw <span className="num">{whole(seen)}</span>
            {ours > 0 && (
              <span className="text-quiet">
                {" "}
                ({ads >= ours ? percent(ads / ours - 1, 0) : percent(1 - ads / ours, 0)}{" "}
                {ads >= ours ? "more" : "fewer"})
              </span>
            )}
          </>
        )}
      </h2>
      <Counts siteId={siteId} side={side} />
      <div className="mt-3 grid grid-cols-[minmax(0,1fr)] gap-x-10 gap-y-4 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]">
        <Steps side={side} answer={answer} />
        <Landing side={side} asks={answer.asks} />
      </div>
      <TextButton className="mt-2" onClick={() => setByDay(!byDay)} aria-expanded={byDay}>
        {byDay ? "Leave out the days" : "Day by day"}
      </TextButton>
      {byDay && <Days side={side} many={plural(answer.lens.conversion?.category)} />}
    </section>
  );
}

/** How the source counts, in a sentence whose words can be changed. */
function Counts({ siteId, side }: { siteId: number; side: Side }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const { counting } = side;
  const say = useMutation({
    mutationFn: (part: Partial<typeof counting>) =>
      data(
        client.PUT("/api/sites/{site_id}/ad-sides", {
          params: { path: { site_id: siteId } },
          body: { ...counting, ...part },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["sources", siteId] }),
  });
  const zones = [...new Set(["", counting.time_zone, "UTC", ...Intl.supportedValuesOf("timeZone")])];
  const zoneSaid = (zone: string) => (zone ? `of ${zone.replaceAll("_", " ")}` : "like this site’s");
  const windowSaid = (days: number | string) => `within ${days} ${Number(days) === 1 ? "day" : "days"} of a click`;
  const onceSaid = (once: boolean) => (once ? "once a click" : "every one");
  if (!site.canEdit)
    return (
      <p className="mt-1">
        It counts {windowSaid(counting.window_days)}, {onceSaid(counting.once)}, in days {zoneSaid(counting.time_zone)}.
      </p>
    );
  return (
    <>
      <p className="mt-1">
        It counts{" "}
        <Word
          label="Its window"
          text={windowSaid(counting.window_days)}
          value={String(counting.window_days)}
          choices={[1, 7, 14, 28, 30, 60, 90].map((d) => ({ value: String(d), text: windowSaid(d) }))}
          choose={(days) => say.mutate({ window_days: Number(days) })}
        />
        ,{" "}
        <Word
          label="Its counting"
          text={onceSaid(counting.once)}
          value={String(counting.once)}
          choices={[false, true].map((once) => ({ value: String(once), text: onceSaid(once) }))}
          choose={(once) => say.mutate({ once: once === "true" })}
        />
        , in days{" "}
        <Word
          label="Its days"
          text={zoneSaid(counting.time_zone)}
          value={counting.time_zone}
          choices={zones.map((zone) => ({ value: zone, text: zoneSaid(zone) }))}
          choose={(zone) => say.mutate({ time_zone: zone })}
        />
        .
      </p>
      <FormProblem problem={say.error} fields={[]} />
    </>
  );
}

const PARTS: Record<Part, (side: Side, answer: Answer) => string> = {
  shared: () => "clicked there too, though another touch took the credit",
  window: (side, answer) =>
    side.counting.window_days === answer.lens.attribution_window_days
      ? "the click’s own age, not the visit’s"
      : `within ${side.counting.window_days} days, not ${answer.lens.attribution_window_days}`,
  counting: (side) => (side.counting.once ? "once a click, not every one" : "counted alike"),
  days: (side) => (side.counting.time_zone ? "its midnight, not this site’s" : "the same midnight"),
  uncounted: () => "robots, own visits and excluded hits",
  view_through: () => "for ads that were seen and not clicked, by its own word",
};

interface Stair {
  key: string;
  says: string;
  by: string | null;
  value: string | null;
  from: number;
  to: number;
  whole?: boolean;
  tone?: string;
}

/** From one count to the other, a step for each cause. */
function Steps({ side, answer }: Omit<SideProps, "siteId">) {
  const model = MODELS[answer.lens.model];
  let at = Number(side.seen);
  const stairs: Stair[] = [
    { key: "seen", says: `Clabo, by ${model}`, by: side.seen, value: side.seen_value, from: 0, to: at, whole: true },
  ];
  for (const part of side.parts) {
    const to = at + Number(part.conversions);
    stairs.push({
      key: part.part,
      says: PARTS[part.part](side, answer),
      by: part.conversions,
      value: part.value,
      from: at,
      to,
    });
    at = to;
  }
  if (side.rest != null) {
    const to = at + Number(side.rest);
    stairs.push({
      key: "rest",
      says: "rest, not explained",
      by: side.rest,
      value: side.rest_value,
      from: at,
      to,
      tone: "brick",
    });
    stairs.push({
      key: "said",
      says: "the ad side",
      by: side.said,
      value: side.said_value,
      from: 0,
      to: Number(side.said),
      whole: true,
    });
  }
  const end = Math.max(1, ...stairs.flatMap((s) => [s.from, s.to]));
  const low = Math.min(0, ...stairs.map((s) => s.to));
  const x = (value: number) => ((value - low) / (end - low)) * 100;
  const currency = answer.lens.currency;
  return (
    <table className="w-full text-small">
      <caption className="sr-only">From Clabo’s count to the ad side’s</caption>
      <thead>
        <tr className="text-left text-quiet">
          <th className="font-normal">Count, and what changes it</th>
          <th className="w-16 text-right font-normal">{plural(answer.lens.conversion?.category)}</th>
          <th className="w-24 text-right font-normal">{side.seen_value == null ? "" : "value"}</th>
          <th className="w-2/5 pl-4 font-normal">
            <span className="num text-mark">0 – {whole(String(end))}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {stairs.map((s) => (
          <tr
            key={s.key}
            className={cx("border-t", s.whole && "font-semibold", !s.whole && !Number(s.by) && "text-quiet")}
          >
            <td className="py-1 pr-2">{s.says}</td>
            <td className="num text-right">{s.whole ? whole(s.by) : change(s.by)}</td>
            <td className="num text-right">
              {s.value == null ? "" : s.whole ? money(s.value, currency, 0) : signedMoney(s.value, currency)}
            </td>
            <td className="pl-4">
              <svg viewBox="0 0 100 14" preserveAspectRatio="none" className="h-3.5 w-full" aria-hidden="true">
                <rect x={0} y={6.5} width={100} height={1} fill="var(--color-line)" />
                <rect
                  x={x(Math.min(s.from, s.to))}
                  width={Math.max(0.6, x(Math.max(s.from, s.to)) - x(Math.min(s.from, s.to)))}
                  y={3}
                  height={8}
                  fill={s.tone === "brick" ? "var(--color-brick)" : s.whole ? "var(--color-ink)" : "var(--color-quiet)"}
                />
              </svg>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const signedMoney = (value: string, currency: string) => {
  const n = Number(value);
  return n === 0 ? "0" : `${n < 0 ? "−" : "+"}${money(Math.abs(n), currency, 0)}`;
};

/** Clicks that were paid for, against visits that arrived. */
function Landing({ side, asks }: { side: Side; asks: boolean }) {
  const rate = side.landing;
  const others = [
    side.robots > 0 && `${count(side.robots)} of robots`,
    side.own > 0 && `${count(side.own)} own or excluded`,
  ].filter(Boolean);
  const missing = side.clicks - side.arrived - side.robots - side.own;
  return (
    <div className="text-small">
      <h3 className="text-body font-semibold">Clicks against visits</h3>
      {!side.clicks ? (
        <p>Its files say nothing of clicks.</p>
      ) : (
        <>
          <p className="mt-1 flex flex-wrap items-center gap-x-2">
            <span>
              {count(side.arrived)} visits of {count(side.clicks)} clicks:
            </span>
            <span className="num">{percent(rate?.estimate, 0)}</span>
            {rate && (
              <SpreadBar {...rate} scale={1.2} label={`between ${percent(rate.low, 0)} and ${percent(rate.high, 0)}`} />
            )}
            <span className="text-quiet">
              ({percent(rate?.low, 0)} to {percent(rate?.high, 0)})
            </span>
          </p>
          <p className="mt-1 text-quiet">
            {others.length > 0 && `Besides ${others.join(" and ")}. `}
            {missing > 0
              ? `${count(missing)} clicks brought no visit that Clabo saw: left before the page’s tag ran, a second click within one visit${asks ? ", or no consent: visitors are asked first" : ", or a browser that blocks tags"}.`
              : "More visits than clicks: links that are shared on, or clicks that the file does not hold."}
          </p>
        </>
      )}
      {side.view_through == null && side.said != null && (
        <p className="mt-2 text-quiet">
          Its files do not say how many it counts for ads that were seen and not clicked. If it does, they are in the
          rest: Clabo cannot see them.
        </p>
      )}
    </div>
  );
}

function Days({ side, many }: { side: Side; many: string }) {
  return (
    <Scroll label={`Both counts of ${side.counting.source} by day`} className="mt-2 max-h-96">
      <Table
        dense
        caption="Both counts by day"
        rows={[...side.days].reverse()}
        rowKey={(d) => d.day}
        columns={[
          { key: "day", head: "Day of the click", text: true, cell: (d) => day(d.day) },
          { key: "clicks", head: "Clicks", cell: (d) => <span className="num">{count(d.clicks)}</span> },
          { key: "arrived", head: "Visits", cell: (d) => <span className="num">{count(d.arrived)}</span> },
          { key: "said", head: `It says, ${many}`, cell: (d) => <span className="num">{whole(d.said)}</span> },
          { key: "seen", head: "Clabo saw", cell: (d) => <span className="num">{whole(d.seen)}</span> },
          {
            key: "claimed",
            head: "By its rules",
            hint: "Out of what Clabo saw, counted by the ad side’s window, counting and days.",
            cell: (d) => <span className="num">{whole(d.claimed)}</span>,
          },
          {
            key: "rest",
            head: "It says, less that",
            cell: (d) => (
              <span className="num">{d.said == null ? "–" : change(String(Number(d.said) - Number(d.claimed)))}</span>
            ),
          },
        ]}
      />
    </Scroll>
  );
}

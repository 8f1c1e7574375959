/** What a plan has cost and brought so far: by band, creative and page, with how sure that is. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { SpreadBar } from "../../charts/SpreadBar";
import { scaleEnd } from "../../charts/scale";
import { Scroll } from "../../components/Scroll";
import { type Column, Table } from "../../components/Table";
import { Tabs } from "../../components/Tabs";
import { Failed, Loading, TextButton } from "../../components/ui";
import { ago, count, day, money, percent, several, signed, times, words } from "../../lib/format";
import { scaleText } from "../report/columns";
import { seekWords } from "./model";
import { Often } from "./Often";
import { type AdPlan, type Part, type Results, resultsQuery } from "./queries";
import { RoasBar, roasScale } from "./RoasBar";

interface Props {
  siteId: number;
  plan: AdPlan;
  currency: string;
}

const PARTS = { cells: "Band, creative and page", lines: "Bands", creatives: "Creatives" };

export function Running({ siteId, plan, currency }: Props) {
  const queries = useQueryClient();
  const results = useQuery(resultsQuery(siteId, plan.id, plan.state === "running"));
  const [by, setBy] = useState<keyof typeof PARTS>("cells");
  const look = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/plans/{plan_id}/look", {
          params: { path: { site_id: siteId, plan_id: plan.id } },
        }),
      ),
    onSuccess: (found) => queries.setQueryData(resultsQuery(siteId, plan.id, true).queryKey, found),
    onError: (error) => toast.error(error.message),
  });
  if (results.isPending) return <Loading what="what it has brought" />;
  if (results.isError) return <Failed error={results.error} retry={results.refetch} />;
  const r = results.data;
  if (!r.told_at) return <p className="text-quiet">The network has said nothing of it yet.</p>;
  const aim = several(plan.aim_name);
  const rows = by === "cells" ? r.cells : by === "lines" ? r.lines : r.creatives;
  return (
    <div className="flex flex-col gap-6">
      <section aria-label="So far" className="flex flex-col gap-3">
        {r.says.map((says) => (
          <p key={says} className="max-w-3xl font-head text-title leading-snug">
            {says}
          </p>
        ))}
        <Totals results={r} aim={aim} one={words(plan.aim_name)} currency={currency} />
        <p className="text-small text-quiet">
          As of {ago(r.told_at)}.{" "}
          {plan.state === "running" && (
            <>
              <TextButton onClick={() => look.mutate()} disabled={look.isPending}>
                Ask the network now
              </TextButton>
              .{" "}
            </>
          )}
          Impressions, clicks and cost are as the network reports them, today included; visits and {aim} are counted
          here, credited by last paid touch. Pages and Sources have the spend from the next morning on.
        </p>
        <TheirCount results={r} aim={aim} />
      </section>
      <section aria-label="By band, creative and page">
        <Tabs label="Broken down by" tabs={PARTS} chosen={by} choose={setBy}>
          <div className="mt-2">
            <Scroll label={PARTS[by]}>
              <Table
                dense
                columns={columns(plan, r, by, aim, currency)}
                rows={rows}
                rowKey={(p) => `${p.line} ${p.creative}`}
                apart={rows.length > 1 ? [r.total] : []}
              />
            </Scroll>
          </div>
        </Tabs>
      </section>
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-7 gap-y-6 lg:grid-cols-2">
        <Compared plan={plan} results={r} aim={aim} />
        <Often
          often={r.often}
          title="How often people have seen it so far"
          who="people who were shown it, or whom the network knows now"
        />
        <ByDay results={r} currency={currency} />
        {plan.sharing === "shared" && <Moves results={r} />}
      </div>
    </div>
  );
}

const often = (p: Part) => (p.frequency == null ? "–" : `${p.frequency.toFixed(1)}×`);
const total = (by: Record<string, number>) => Object.values(by).reduce((a, b) => a + b, 0);

function Totals({ results, aim, one, currency }: { results: Results; aim: string; one: string; currency: string }) {
  const t = results.total;
  const each = results.cost_of_one_interval;
  const people = total(results.people);
  const facts: [string, string, string][] = [
    ["Spent", money(t.cost, currency), `${count(t.shown)} impressions`],
    ["Reach", count(t.reached), `people; ${count(people)} known there now`],
    ["Frequency", often(t), "impressions each, of those reached"],
    ["Clicks", count(t.clicks), `CTR ${percent(t.click_rate.estimate)}`],
    [aim.charAt(0).toUpperCase() + aim.slice(1), count(Number(t.conversions)), `of ${count(t.visits)} visits`],
    [
      `Cost per ${one}`,
      t.cost_of_one == null ? "–" : money(t.cost_of_one, currency),
      each?.low != null
        ? `${money(each.low, currency)} to ${each.high == null ? "no end" : money(each.high, currency)}`
        : "none yet",
    ],
    [
      "ROAS",
      times(t.roas),
      t.roas_interval
        ? `${times(t.roas_interval.low)} to ${t.roas_interval.high == null ? "no end" : times(t.roas_interval.high)}; break-even ${times(results.break_even)}`
        : `break-even ${times(results.break_even)}`,
    ],
  ];
  return (
    <dl className="grid grid-cols-2 gap-x-5 gap-y-3 border-y py-3 sm:grid-cols-4 xl:grid-cols-7">
      {facts.map(([name, value, more]) => (
        <div key={name}>
          <dt className="text-small text-quiet">{name}</dt>
          <dd className="num text-title font-semibold">{value}</dd>
          <dd className="text-fine text-quiet">{more}</dd>
        </div>
      ))}
    </dl>
  );
}

/** The network's own count, and why it is another. */
function TheirCount({ results: r, aim }: { results: Results; aim: string }) {
  return (
    <p className="text-small">
      The network itself counts <span className="num">{count(r.theirs + r.theirs_seen)}</span>:{" "}
      <span className="num">{count(r.theirs)}</span> {aim} that were reported to it for a click, and{" "}
      <span className="num">{count(r.theirs_seen)}</span> of people who only saw it and came by themselves, which nobody
      here credits to it.{" "}
      {r.theirs !== Number(r.total.conversions) && (
        <>
          Clabo credits <span className="num">{count(Number(r.total.conversions))}</span>: some it has not heard of yet,
          or their credit has moved to a later click.
        </>
      )}
    </p>
  );
}

function columns(plan: AdPlan, r: Results, by: string, aim: string, currency: string): Column<Part>[] {
  const lines = new Map(plan.lines.map((l) => [l.key, l.seek ? seekWords(l.seek) : l.name]));
  const creatives = new Map(plan.creatives.map((c) => [c.key, c]));
  const judged = [...r.cells, ...r.lines, ...r.creatives, r.total].filter((p) => !p.thin);
  const rates = scaleEnd(judged.length ? judged.map((p) => p.rate.high) : [2 * (r.total.rate.high ?? 0.5)]);
  const roas = roasScale([...r.cells, ...r.lines, ...r.creatives], r.break_even);
  const shared = plan.sharing === "shared";
  const all = (p: Part) => !p.line && !p.creative;
  const name: Column<Part> = {
    key: "name",
    head: by === "lines" ? "Band" : by === "creatives" ? "Creative and page" : "Band, creative and page",
    text: true,
    className: "whitespace-normal! min-w-64",
    cell: (p) => {
      if (all(p)) return <strong className="font-semibold">All of it</strong>;
      const creative = creatives.get(p.creative);
      return (
        <>
          {p.line && <span className="font-medium">{lines.get(p.line)}</span>}
          {creative && (
            <span className={p.line ? "block text-small text-quiet" : "font-medium"}>
              {creative.headline}
              <span className="text-quiet">
                {" → "}
                <bdi className="num">{creative.page}</bdi>
              </span>
            </span>
          )}
        </>
      );
    },
  };
  return [
    name,
    ...(shared && by !== "cells"
      ? [
          {
            key: "share",
            head: by === "lines" ? "Budget" : "Turns",
            hint: by === "lines" ? "Its part of the day’s budget now." : "How often it is its turn now.",
            cell: (p: Part) => {
              const share = by === "lines" ? r.line_shares[p.line] : r.creative_shares[p.creative];
              return share === undefined ? "" : percent(share, 0);
            },
          },
        ]
      : []),
    { key: "cost", head: "Cost", cell: (p) => money(p.cost, currency) },
    { key: "shown", head: "Impressions", cell: (p) => count(p.shown) },
    {
      key: "reached",
      head: "Reach",
      hint: "People who saw it, and their frequency: impressions per person. A person who saw two parts of the plan is counted with both, and once in the total.",
      cell: (p) => (
        <>
          {count(p.reached)}
          <span className="block text-fine text-quiet">{often(p)} each</span>
        </>
      ),
    },
    { key: "clicks", head: "Clicks", cell: (p) => count(p.clicks) },
    {
      key: "ctr",
      head: "CTR",
      cell: (p) => percent(p.click_rate.estimate),
      hint: "Clicks per hundred impressions.",
    },
    {
      key: "conversions",
      head: "Conversions",
      hint: `${aim}, credited by last paid touch, of visits that came by it.`,
      cell: (p) => `${count(Number(p.conversions))} / ${count(p.visits)}`,
    },
    {
      key: "rate",
      head: `Rate, 0 to ${percent(rates, 0)}`,
      cell: (p) => (
        <span className="inline-flex items-center gap-2">
          {percent(p.rate.estimate, 1)}
          <SpreadBar
            low={p.rate.low}
            estimate={p.visits ? p.rate.estimate : null}
            high={p.rate.high}
            scale={rates}
            thin={p.thin}
            width={60}
            label={`${percent(p.rate.low, 1)} to ${percent(p.rate.high, 1)}`}
          />
        </span>
      ),
    },
    {
      key: "each",
      head: `Cost per ${words(plan.aim_name)}`,
      cell: (p) => (p.cost_of_one == null ? "–" : money(p.cost_of_one, currency)),
    },
    {
      key: "roas",
      head: `ROAS, ${scaleText(roas)}`,
      cell: (p) => (
        <RoasBar roas={p.roas} interval={p.roas_interval} scale={roas} breakEven={r.break_even} thin={p.thin} />
      ),
    },
  ];
}

/** Creatives held against the first one, within days and bands. */
function Compared({ plan, results, aim }: { plan: AdPlan; results: Results; aim: string }) {
  const [first] = plan.creatives;
  if (!results.against.length || !first) return null;
  return (
    <section aria-label="Creatives held against each other">
      <h2 className="mb-2 text-lead">Against “{first.headline}”</h2>
      <ul className="flex flex-col gap-2.5">
        {results.against.map((a) => {
          const other = plan.creatives.find((c) => c.key === a.creative)?.headline ?? a.creative;
          const d = a.difference;
          const range = d ? `${signed(d.low ?? 0)} to ${signed(d.high ?? 0)}` : "";
          return (
            <li
              key={a.creative}
              className={`border-l-4 pl-3 ${a.outcome === "better" ? "border-fern" : a.outcome === "worse" ? "border-brick" : "border-line"}`}
            >
              <strong className="font-semibold">
                {a.outcome === "too_early" && `“${other}”: too early to say.`}
                {a.outcome === "alike" && `“${other}” does not differ clearly from it yet.`}
                {a.outcome === "better" && `“${other}” brings more.`}
                {a.outcome === "worse" && `“${other}” brings less.`}
              </strong>
              <span className="block text-small text-quiet">
                {d
                  ? `${range} ${aim} per 1,000 impressions, however often you look.`
                  : `Each needs 5 ${aim} before anything is said.`}
                {a.turned &&
                  a.raw &&
                  ` All days thrown together would say ${signed(a.raw.estimate ?? 0)}: that is what the moving turns do, not the creative.`}
              </span>
            </li>
          );
        })}
      </ul>
      <p className="mt-2 text-small text-quiet">
        Compared within each day and band, where turns were drawn at random and stayed as they were; so it does not
        matter that they move from day to day.
      </p>
    </section>
  );
}

function ByDay({ results, currency }: { results: Results; currency: string }) {
  const days = results.days;
  if (days.length < 2) return null;
  const top = Math.max(...days.map((d) => Number(d.cost)), 0.01);
  return (
    <section aria-label="Cost by day">
      <h2 className="mb-2 text-lead">Cost by day</h2>
      <div className="panel p-3">
        <svg
          viewBox={`0 0 ${days.length * 10} 60`}
          preserveAspectRatio="none"
          className="h-16 w-full"
          role="img"
          aria-label={`${money(results.total.cost, currency)} over ${days.length} days, at most ${money(top, currency)} a day`}
        >
          {days.map((d, at) => {
            const size = (Number(d.cost) / top) * 58;
            return <rect key={d.day} x={at * 10 + 1} width={8} y={60 - size} height={size} fill="var(--color-ink)" />;
          })}
        </svg>
        <p className="mt-1 flex justify-between text-fine text-quiet">
          <span>{day(days[0]?.day)}</span>
          <span>at most {money(top, currency)} a day (days of UTC, as the network counts)</span>
          <span>{day(days.at(-1)?.day)}</span>
        </p>
      </div>
    </section>
  );
}

function Moves({ results }: { results: Results }) {
  return (
    <section aria-label="What was moved">
      <h2 className="mb-2 text-lead">What was moved</h2>
      {results.moves.length === 0 && (
        <p className="text-quiet">Nothing yet: no difference has been sure enough at a midnight.</p>
      )}
      <ul className="flex max-h-72 flex-col gap-2.5 overflow-auto">
        {results.moves.map((m) => (
          <li key={`${m.day} ${m.what}`} className="border-l-4 border-line pl-3">
            <span className="num text-small text-quiet">{day(m.day)}</span> {m.percent} % of{" "}
            {m.what === "line" ? "the budget" : "the turns"} from “{m.source}” to “{m.target}”.
            <span className="block text-small text-quiet">{m.says}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What the evidence allows to decide: tests first, for they cost traffic while they run. */
import type { Schemas } from "../../api/client";
import { count, day, dayOf, many, money, percent, several, times, words } from "../../lib/format";
import { Said } from "../pages/Findings";
import { decidedHead } from "../splits/verdict";
import type { Note } from "./note";

export function decisions(t: Schemas["TodayOut"]): Note[] {
  const notes: Note[] = [];
  for (const test of t.decided)
    notes.push({
      key: `test ${test.id}`,
      about: test.key,
      stake: test.stake,
      tone: test.verdict.kind === "adopt" ? "fern" : "ink",
      says: (
        <>
          <strong>{test.name}.</strong> {decidedHead(test.verdict, test.category)}
        </>
      ),
      why: `${count(test.visitors)} visitors; the range is honest at every look.`,
      to: "tests/$testId",
      test: test.id,
      go: "Open test",
    });
  for (const test of t.overdue)
    notes.push({
      key: `overdue ${test.id}`,
      about: test.key,
      stake: test.stake,
      tone: "ink",
      says: (
        <>
          <strong>{test.name}.</strong> Past its plan, and still open.
        </>
      ),
      why: `${count(test.visitors)} visitors should have shown a difference worth having. Going on costs time, stopping costs little.`,
      to: "tests/$testId",
      test: test.id,
      go: "Open test",
    });
  for (const f of t.findings) {
    const counted = f.own_goal
      ? `its goal “${words(f.counting)}”`
      : `“${words(f.counting)}”, for it has no goal of its own`;
    const roas = f.roas_interval;
    const rate = f.conversion_rate;
    const since = dayOf(new Date(f.since)) < dayOf(new Date(t.now)) ? ` First seen ${day(f.since)}.` : "";
    notes.push({
      key: `${f.kind} ${f.page_id}`,
      about: f.key,
      stake: f.stake,
      tone: f.kind === "earns" ? "fern" : "brick",
      says: (
        <Said
          finding={f}
          row={f}
          together={f.together}
          category={f.category}
          alike="pages with the same goal"
          currency={t.currency}
          hasMargin={t.has_margin}
          page={<bdi className="num text-body font-semibold">{f.path}</bdi>}
        />
      ),
      why:
        f.kind === "converts_badly"
          ? `Last 28 days, judged by ${counted}: ${count(f.converted)} of ${count(f.entries)} visits that began there, so between ${percent(rate?.low)} and ${percent(rate?.high)}.${since}`
          : `Last 28 days, judged by ${counted} by last paid touch: between ${times(roas?.low)} and ${times(roas?.high)} of what was spent came back; ${times(t.break_even_roas)} pays for the ads.${since}`,
      to: "pages",
      search: { open: f.page_id },
      go: "Open page",
    });
  }
  if (t.move) notes.push(moveNote(t.move, t.currency, t.has_margin));
  if (t.unused)
    notes.push({
      key: "unused",
      tone: "ink",
      about: t.unused.key,
      says: (
        <>
          <strong>
            {many(t.unused.people, "person is", "people are")} in “<bdi>{t.unused.name}</bdi>”
          </strong>
          , and nobody has used it.
        </>
      ),
      why: "It has never been exported or given to a channel. Show them an ad, or leave them out of one.",
      to: "audiences/$audienceId",
      test: t.unused.id,
      go: "Open audience",
    });
  // Most money first; what no money is known of after it, in the order in which it was found.
  return notes
    .map((note, place) => ({ note, place }))
    .sort((a, b) => Number(b.note.stake ?? -1) - Number(a.note.stake ?? -1) || a.place - b.place)
    .map(({ note }) => note);
}

/** What a tenth more spend brings, where conversions grow as spend to the power of the elasticity. */
function tenthMore(elasticity: Schemas["IntervalOut"]): string {
  const [low, middle, high] = [elasticity.low, elasticity.estimate, elasticity.high].map(
    (power) => 1.1 ** (power ?? 0) - 1,
  );
  return `${percent(middle)} (${percent(low)} to ${percent(high)})`;
}

function moveNote(m: NonNullable<Schemas["TodayOut"]["move"]>, currency: string, hasMargin: boolean): Note {
  const place = (p: typeof m.take) => (
    <>
      <bdi className="num text-body font-semibold">{p.path}</bdi> by <bdi>{p.source}</bdi>
    </>
  );
  const each = (p: typeof m.take) =>
    `${count(Number(p.conversions))} ${several(m.counting)} on ${money(p.spend, currency, 0)}`;
  return {
    key: "move",
    tone: "fern",
    about: m.key,
    stake: m.stake,
    says: (
      <>
        <strong>The next euro is best spent</strong> on {place(m.take)}: move {money(m.amount, currency)} a day there
        from {place(m.give)}, for about {money(m.gain.estimate, currency)} more {hasMargin ? "margin" : "revenue"} a day
        ({money(m.gain.low, currency)} to {money(m.gain.high, currency)}).
      </>
    ),
    why: `${m.sure > 0.99 ? "More than 99 %" : percent(m.sure, 0)} sure that it is a gain. Last 28 days: ${each(m.take)} there, ${each(m.give)} here; both drawn towards what all places bring. More spend brings less each time: 10 % more has been bringing ${tenthMore(m.elasticity)} more ${several(m.counting)}. A fifth more than so far at most: beyond that the past says little.`,
    to: "sources",
    go: "See the sources",
  };
}

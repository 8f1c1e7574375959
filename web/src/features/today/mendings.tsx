/** What is broken, worst first. */
import type { Schemas } from "../../api/client";
import { count, day, hour, many, money, words } from "../../lib/format";
import { budgetName, paceWords } from "../spend/budget";
import { decidedHead } from "../splits/verdict";
import type { Note } from "./note";

const aDay = (n: number) => (n < 1.5 ? "about once a day" : `about ${count(Math.round(n))} times a day`);

export function mendings(t: Schemas["TodayOut"]): Note[] {
  const notes: Note[] = [];
  if (t.silent_since)
    notes.push({
      key: "silent",
      tone: "brick",
      says: <strong>Nothing has come from this site since {hour(t.silent_since)}.</strong>,
      why: "It is never quiet for so long. See whether the site can be reached and still has the tag.",
      to: "pixel",
      go: "Check a page",
    });
  for (const test of t.broken)
    notes.push({
      key: `broken ${test.id}`,
      tone: "brick",
      says: (
        <>
          <strong>{test.name}.</strong> {decidedHead(test.verdict, test.category)}
        </>
      ),
      why: "Visitors of one variant are lost on the way, so that no other number of this test can be trusted.",
      to: "tests/$testId",
      test: test.id,
      go: "Open test",
    });
  for (const back of t.led_back)
    notes.push({
      key: `back ${back.test} ${back.path}`,
      tone: "brick",
      says: (
        <>
          <bdi className="num text-body font-semibold">{back.path}</bdi>{" "}
          <strong>
            leads back to <bdi className="num text-body">{back.control}</bdi>.
          </strong>
        </>
      ),
      why: `The test “${back.name}” has sent ${count(back.times)} visitor${back.times === 1 ? "" : "s"} there who came back at once, last ${hour(back.last_at)}. They see the control; the variant gains nobody.`,
      to: "tests/$testId",
      test: back.test,
      go: "Open test",
    });
  for (const each of t.hindered) {
    const missing = each.why === "missing";
    notes.push({
      key: `${each.why} ${each.test} ${each.letter} ${each.selector}`,
      tone: "brick",
      says: (
        <>
          <bdi className="num text-body font-semibold">{each.path}</bdi>{" "}
          <strong>
            {missing ? "has no element" : "writes over"} <bdi className="num text-body">{each.selector}</bdi>.
          </strong>
        </>
      ),
      why: `Variant ${each.letter} of the test “${each.name}” changes it. Seen in ${many(each.times, "visit")}, last ${hour(each.last_at)}. ${missing ? "These visitors are in no variant." : "These visitors count in their variant, but saw the page’s own text some of the time."}`,
      to: "tests/$testId",
      test: each.test,
      go: "Open test",
    });
  }
  for (const b of t.budgets)
    notes.push({
      key: `budget ${b.id}`,
      tone: "brick",
      says: (
        <strong>
          The budget of <bdi>{budgetName(b)}</bdi> will not last the month.
        </strong>
      ),
      why: `${paceWords(b, t.currency)} ${money(b.spent, t.currency, 0)} of ${money(b.amount, t.currency, 0)} are spent up to ${day(b.through)}.`,
      to: "spend",
      search: { part: "budgets" },
      go: "See the budgets",
    });
  for (const rule of t.quiet)
    notes.push({
      key: `quiet ${rule.id}`,
      tone: "brick",
      says: (
        <strong>
          No {words(rule.name)} since {hour(rule.last_at)}.
        </strong>
      ),
      why: `One came ${aDay(rule.per_day)}; so long without is not chance. Either nobody is led there any more, or it no longer fires: a rehearsal shows which.`,
      to: "live",
      go: "Rehearse it",
    });
  for (const channel of t.channels)
    notes.push({
      key: `channel ${channel.id}`,
      tone: channel.failing_since ? "brick" : "marigold",
      says: channel.failing_since ? (
        <strong>
          {channel.name} has not answered since {hour(channel.failing_since)}.
        </strong>
      ) : channel.not_removed ? (
        <strong>
          {channel.name} refused to remove {count(channel.not_removed)} identit{channel.not_removed === 1 ? "y" : "ies"}{" "}
          from its lists.
        </strong>
      ) : channel.oldest_waiting ? (
        <strong>
          {many(channel.waiting, "conversion")} waiting for {channel.name} since {hour(channel.oldest_waiting)}.
        </strong>
      ) : (
        <strong>
          {channel.name} refused {count(channel.refused)} of {count(channel.sent)} conversions in seven days.
        </strong>
      ),
      why: channel.failing_since
        ? `${channel.failure} It is tried again by itself, and nothing is lost; until then it neither learns from conversions nor knows who came in or left.`
        : channel.not_removed
          ? `Most often because ${channel.not_removed_why}. They are still reached there, though they left the audience or asked to be forgotten. Each delivery asks for their removal again; ask the channel to remove them.`
          : channel.oldest_waiting
            ? "What it is not told of in time it cannot learn from."
            : `Most often because ${channel.reason}. What it refuses it does not learn from.`,
      to: "spend",
      search: { part: "channels" },
      go: "See the channel",
    });
  for (const page of t.stopped)
    notes.push({
      key: `stopped ${page.host}${page.path}`,
      tone: "brick",
      says: (
        <>
          <bdi className="num text-body font-semibold">{page.path}</bdi>{" "}
          <strong>has sent nothing since {hour(page.stopped_at)}.</strong>
        </>
      ),
      why: `It was viewed ${aDay(page.per_day ?? 0)}; so long a silence is not chance. Either the tag was lost, or nobody is led there any more.`,
      to: "pixel",
      search: { check: `${page.host}${page.path}` },
      go: "Check the page",
    });
  if (t.stopped_total > t.stopped.length)
    notes.push({
      key: "more stopped",
      tone: "brick",
      says: `${count(t.stopped_total - t.stopped.length)} more pages have stopped.`,
      to: "pixel",
      go: "See all",
    });
  if (t.late_since)
    notes.push({
      key: "late",
      tone: "brick",
      says: <strong>What came in since {hour(t.late_since)} is not in any number yet.</strong>,
      why: "It is kept and nothing is lost, but the worker that reads it is not keeping up or not running.",
      to: "live",
      go: "See what waits",
    });
  for (const host of t.refused_hosts)
    notes.push({
      key: `host ${host.host}`,
      tone: "marigold",
      says: (
        <>
          <bdi className="num text-body font-semibold">{host.host}</bdi> has this site’s tag and is none of its hosts:{" "}
          {count(host.count)} hit{host.count === 1 ? " was" : "s were"} refused.
        </>
      ),
      why: `Last ${hour(host.last_at)}. If its pages are yours, add it, and they count from then on.`,
      to: "pixel",
      go: "See Pixel",
      act: { host: host.host },
    });
  if (t.owed)
    notes.push({
      key: "owed",
      tone: "marigold",
      says: "Some hits are stored, and what follows from them is not counted yet.",
      why: "Counting failed and is tried again by itself; the worker’s log has the reason.",
      to: "live",
      go: "See Live",
    });
  if (t.set_aside)
    notes.push({
      key: "aside",
      tone: "marigold",
      says: `${count(t.set_aside)} request${t.set_aside > 1 ? "s" : ""} could not be stored and ${t.set_aside > 1 ? "are" : "is"} on hold.`,
      why: "Nothing is lost. “manage.py set_aside” lists them with the reason and stores them again.",
      to: "live",
      go: "See Live",
    });
  if (t.spend_overdue)
    notes.push({
      key: "spend",
      tone: "marigold",
      says: `No cost is known after ${day(t.spend_until)}.`,
      why: "Every return on ad spend that reaches beyond that day reads too well.",
      to: "spend",
      go: "Bring in a file",
    });
  if (Number(t.spend_unjoined))
    notes.push({
      key: "unjoined",
      tone: "marigold",
      says: `${money(t.spend_unjoined, t.currency, 0)} of ${money(t.spend_total, t.currency, 0)} spent in 28 days belongs to no page.`,
      why: "No visit carries those campaigns’ words: their pages look cheaper than they were.",
      to: "spend",
      go: "See which",
    });
  for (const page of t.twice)
    notes.push({
      key: `twice ${page.host}${page.path}`,
      tone: "marigold",
      says: (
        <>
          <bdi className="num text-body font-semibold">{page.path}</bdi> has the tag twice.
        </>
      ),
      why: "Nothing is counted twice, but visitors load it twice. Remove one of them.",
      to: "pixel",
      search: { check: `${page.host}${page.path}` },
      go: "Check the page",
    });
  if (t.twice_total > t.twice.length)
    notes.push({
      key: "more twice",
      tone: "marigold",
      says: `${count(t.twice_total - t.twice.length)} more pages have the tag twice.`,
      to: "pixel",
      go: "See all",
    });
  return notes;
}

/** What the evidence allows to decide: tests first, for they cost traffic while they run. */
import type { Schemas } from "../../api/client";
import { count, percent, times, words } from "../../lib/format";
import { Said } from "../pages/Findings";
import { decidedHead } from "../splits/verdict";
import type { Note } from "./note";

export function decisions(t: Schemas["TodayOut"]): Note[] {
  const notes: Note[] = [];
  for (const test of t.decided)
    notes.push({
      key: `test ${test.id}`,
      tone: test.verdict.kind === "adopt" ? "fern" : "ink",
      says: (
        <>
          <strong>{test.name}.</strong> {decidedHead(test.verdict, test.category)}
        </>
      ),
      why: `${count(test.visitors)} visitors; the range is honest at every look.`,
      to: "tests/$testId",
      test: test.id,
      go: "See the test",
    });
  for (const test of t.overdue)
    notes.push({
      key: `overdue ${test.id}`,
      tone: "ink",
      says: (
        <>
          <strong>{test.name}.</strong> Past its plan, and still open.
        </>
      ),
      why: `${count(test.visitors)} visitors should have shown a difference worth having. Going on costs time, stopping costs little.`,
      to: "tests/$testId",
      test: test.id,
      go: "See the test",
    });
  for (const f of t.findings) {
    const counted = f.own_goal
      ? `its goal “${words(f.counting)}”`
      : `“${words(f.counting)}”, for it has no goal of its own`;
    const roas = f.roas_interval;
    const rate = f.conversion_rate;
    notes.push({
      key: `${f.kind} ${f.page_id}`,
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
          ? `Last 28 days, judged by ${counted}: ${count(f.converted)} of ${count(f.entries)} visits that began there, so between ${percent(rate?.low)} and ${percent(rate?.high)}.`
          : `Last 28 days, judged by ${counted} by last paid touch: between ${times(roas?.low)} and ${times(roas?.high)} of what was spent came back; ${times(t.break_even_roas)} pays for the ads.`,
      to: "pages",
      search: { open: f.page_id },
      go: "See the page",
    });
  }
  return notes;
}

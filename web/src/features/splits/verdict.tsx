/** Verdicts in words, short for the list and whole for the result. */
import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { count, day, per100, plural, pValue, signed } from "../../lib/format";

type Result = Schemas["ResultOut"];
type Summary = Schemas["SplitTestSummary"];

export function shortVerdict(t: Summary): { text: string; tone: "fern" | "brick" | "ink" | "quiet" } {
  if (t.state === "draft") return { text: "not started", tone: "quiet" };
  if (t.state === "adopted") return { text: t.adopted === "A" ? "A kept" : `${t.adopted} adopted`, tone: "ink" };
  switch (t.verdict) {
    case "adopt":
      return { text: `adopt ${t.letter}`, tone: "fern" };
    case "keep_control":
      return { text: "keep A", tone: "ink" };
    case "guard_fails":
      return { text: `a guard of ${t.letter} fails`, tone: "brick" };
    case "no_difference":
      return { text: "no difference worth having", tone: "ink" };
    case "broken_split":
      return { text: "the split is broken", tone: "brick" };
    case "no_data":
      return { text: "no visitor yet", tone: "quiet" };
    default:
      if (t.state === "paused") return { text: "open, paused", tone: "quiet" };
      if (t.state === "ended") return { text: "ended undecided", tone: "quiet" };
      return { text: t.days_left ? `too early: about ${t.days_left} more days` : "open", tone: "quiet" };
  }
}

interface Words {
  head: ReactNode;
  reason: ReactNode;
}

const WORTH = (r: Result) => (r.worth * 100).toFixed(r.worth < 0.0095 ? 2 : 1);

/** What a decided or broken test says, in one sentence; nothing while it is open. */
export function decidedHead(v: Schemas["VerdictOut"], category: string): ReactNode {
  const many = plural(category);
  const d = v.difference;
  switch (v.kind) {
    case "adopt":
      return (
        <>
          Adopt {v.letter}. It brings{" "}
          <span className="text-fern">
            {per100(d?.low ?? 0)} to {per100(d?.high ?? 0)} more {many} per 100 visitors
          </span>{" "}
          than A.
        </>
      );
    case "keep_control":
      return v.all_worse ? (
        <>
          Keep A. {v.letter} brings{" "}
          <span className="text-brick">
            {per100(-(d?.high ?? 0))} to {per100(-(d?.low ?? 0))} fewer {many} per 100 visitors
          </span>
          .
        </>
      ) : (
        <>Keep A. {v.letter} cannot be better by as much as is worth having.</>
      );
    case "guard_fails":
      return (
        <>
          Do not adopt {v.letter} as it is: it brings {per100(d?.low ?? 0)} to {per100(d?.high ?? 0)} more {many} per
          100 visitors, <span className="text-brick">but a guard of it fails</span>.
        </>
      );
    case "no_difference":
      return <>No difference worth having is left to find: stop.</>;
    case "broken_split":
      return (
        <>
          Do not read this: <span className="text-brick">the split is broken</span>.
        </>
      );
  }
}

export function verdictWords(r: Result): Words {
  const many = plural(r.category);
  const d = r.verdict.difference;
  const head = decidedHead(r.verdict, r.category);
  if (r.test.state === "draft")
    return { head: <>A draft: nobody sees it yet.</>, reason: "Start it when every variant’s page is ready." };
  const looked = "It is read at each midnight with that reckoned in, so looking daily has not weakened this.";
  switch (r.verdict.kind) {
    case "adopt":
      return {
        head,
        reason: r.decided_on ? `Decided on ${day(r.decided_on)}, and it has stayed so. ${looked}` : looked,
      };
    case "keep_control":
      return {
        head,
        reason: `Its difference lies between ${signed((d?.low ?? 0) * 100)} and ${signed((d?.high ?? 0) * 100)} per 100 visitors; ${WORTH(r)} would have been worth having. ${looked}`,
      };
    case "guard_fails":
      return { head, reason: `What it harms stands below. ${looked}` };
    case "no_difference":
      return {
        head,
        reason: `Whatever the difference is, it is smaller than the ${WORTH(r)} ${many} per 100 visitors that were worth having. ${looked}`,
      };
    case "broken_split":
      return {
        head,
        reason: (
          <>
            Planned {shares(r.arms.map((a) => a.share))}, arrived{" "}
            {shares(r.arms.map((a) => (a.visitors / Math.max(1, r.visitors)) * 100))} (p {pValue(r.split_p)}). Visitors
            of one variant are lost on the way, and those who are lost are seldom like the rest. {causes(r)} Mend that,
            and begin again.
          </>
        ),
      };
    case "no_data":
      return {
        head: <>Nobody has come into this test yet.</>,
        reason: "Visitors enter when they open the control page with the tag on it.",
      };
    default:
      if (r.test.state === "paused")
        return {
          head: <>Paused, and still open.</>,
          reason: "Nobody is let in for now; what those do who are in it still counts.",
        };
      if (r.test.state === "ended" || r.test.state === "adopted")
        return {
          head: <>Ended before it could be decided.</>,
          reason: "What was seen fits a difference worth having as well as none.",
        };
      if (r.verdict.overdue)
        return {
          head: <>Past its plan, and still open.</>,
          reason: `${count(r.visitors)} visitors are more than the ${count(r.needed)} that should have shown a difference worth having. It may lie just at the edge; going on costs time, stopping costs little.`,
        };
      return {
        head: r.verdict.days_left ? (
          <>Too early: about {count(r.verdict.days_left)} more days.</>
        ) : (
          <>Too early to say.</>
        ),
        reason: `The range still holds differences worth having and none. At ${count(Math.round(r.visitors_per_day))} visitors a day it should settle at about ${count(r.needed)}. ${foreseen(r)}`,
      };
  }
}

const CAUSES: Record<Schemas["CauseOut"]["what"], (c: Schemas["CauseOut"]) => string> = {
  leads_back: (c) => `The page of ${c.letter} has led ${count(c.count)} visitors back to A.`,
  tag_stopped: (c) => `Nothing comes from the page of ${c.letter} any more: the tag may be gone.`,
  robots: (c) => `${count(c.count)} visits that began on the page of ${c.letter} were robots’.`,
  lost: (c) =>
    `About ${count(c.count)} visitors of ${c.letter} are missing: see that the tag is on its page, that it does not redirect, and that it is not much slower.`,
};
const causes = (r: Result) => r.causes.map((c) => CAUSES[c.what](c)).join(" ");

/** When it will be decided, with the spread of that, and what would have shown by now. */
function foreseen(r: Result) {
  const f = r.forecast;
  const shown = Math.min(...r.against.map((a) => a.would_have_shown ?? Number.POSITIVE_INFINITY));
  const control = r.arms[0]?.rate.estimate;
  const already =
    Number.isFinite(shown) && control
      ? ` A difference of ${(shown * 100).toFixed(1)} per 100 (${Math.round((shown / control) * 100)} % of A’s rate) or more would most likely have shown by now.`
      : "";
  if (!f) return already.trim();
  const open =
    f.undecided >= 0.005 ? `; ${Math.round(f.undecided * 100)} of 100 are still open at the planned end` : "";
  const days = (n: number) => `${count(n)} day${n === 1 ? "" : "s"}`;
  if (f.early == null)
    return `Of the futures that fit what was seen hardly any is decided before the planned end, in ${days(f.days)}.${already}`;
  const until = f.late == null ? "" : ` and 9 in 10 within ${days(f.late)}`;
  const middle = f.middle == null ? "" : `, half within ${days(f.middle)}`;
  return `Of the futures that fit what was seen 1 in 10 is decided within ${days(f.early)}${middle}${until}${open}.${already}`;
}

export function shares(parts: number[]) {
  return parts.map((p) => (Number.isInteger(p) ? p : p.toFixed(1))).join(" : ");
}

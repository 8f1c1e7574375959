/** What somebody can be told of, and when. */
import type { Schemas } from "../../api/client";

export type Kind = Schemas["AlertRecipientIn"]["kinds"][number];
export type When = Schemas["AlertRecipientIn"]["when"];

export const KINDS: Record<Kind, string> = {
  site_silent: "No hit comes from the site",
  page_silent: "A page’s tag has stopped",
  conversion_silent: "A conversion has stopped coming",
  hits_late: "Hits wait to be counted",
  host_refused: "A host that is not the site’s sends hits",
  test_broken: "A split test is broken",
  test_decided: "A split test has an answer",
  channel_failing: "A channel fails",
  spend_over: "Spend is over its budget’s pace",
  spend_missing: "No spend has been brought in",
  perhaps_forged: "Something looks forged",
};
export const WHENS: Record<When, string> = {
  at_once: "at once",
  hourly: "at most once an hour",
  morning: "in the morning",
};
export const ALL = Object.keys(KINDS) as Kind[];

/** "all", or how many of them. */
export const kindsSaid = (kinds: readonly string[]) =>
  kinds.length === ALL.length
    ? "everything"
    : kinds.length === 1
      ? KINDS[kinds[0] as Kind]
      : `${kinds.length} of ${ALL.length} kinds`;

/** What has changed the numbers without changing the world: rules that were rewritten this week. */
import type { Schemas } from "../../api/client";
import { day, words } from "../../lib/format";
import { changed } from "../../words/changed";
import type { Note } from "./note";

export const changes = (t: Schemas["TodayOut"]): Note[] =>
  t.changed.map((v) => ({
    key: `${v.id} ${v.version}`,
    tone: "ink",
    says: (
      <>
        What counts as <strong>{words(v.name)}</strong> was changed on {day(v.made_at)}.
      </>
    ),
    why: changed(v) ? `In the numbers: ${changed(v)}.` : "It is being counted back now.",
    to: "conversions",
    go: "See the versions",
  }));

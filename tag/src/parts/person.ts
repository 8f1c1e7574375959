/** Who somebody is, as the page states it: hashed here, and sent only where an id may be stored. */

import { digest, type Identity } from "../identity";
import { guard, tab } from "../safe";
import type { Tag } from "../tag";

const KINDS: Identity[] = ["email", "id"];

window.clabo?.part?.("person", (tag: Tag) => {
  const state = (said: unknown) => {
    // Nobody has an id there that could be joined to another.
    if (!said || tag.settings.consent === "nameless") return;
    const person: Record<string, string> = {};
    let all = "";
    for (const kind of KINDS) {
      const text = (said as Record<string, unknown>)[kind];
      const hash = typeof text === "string" || typeof text === "number" ? digest(kind, `${text}`) : undefined;
      if (hash) all += person[kind] = hash;
    }
    if (!all) return;
    // Once a tab is enough; before consent nothing may be remembered.
    if (tag.visitor()) {
      if (tab.get("clabo_said") === all) return;
      tab.set("clabo_said", all);
    }
    tag.event("note", undefined, { person });
  };
  if (window.clabo) window.clabo.person = guard(state);
  for (const said of tag.early) state(said);
});

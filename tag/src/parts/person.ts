/** Who somebody is, as the page states it: hashed here, and sent only where an id may be stored. */

import { digest, type Identity } from "../identity";
import { guard, tab, tried } from "../safe";
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
    // The site's server has signed it, for this browser.
    const { proof } = said as Record<string, unknown>;
    if (typeof proof === "string" && /^[0-9a-f]{64}$/.test(proof)) all += person.proof = proof;
    // Once a tab is enough; before consent nothing may be remembered.
    if (tag.visitor()) {
      const before = tab.get("clabo_said");
      if (before === all) return same("2");
      tab.set("clabo_said", all);
      // By then the server has joined what is one person's.
      if (before == null)
        setTimeout(
          guard(() => same("1")),
          2500,
        );
    }
    tag.event("note", undefined, { person });
  };
  /** Sees to it that a person sees the same variants here as on the device where they saw them first; twice a tab. */
  const same = (time: string) => {
    const { key, to, tests, same: wanted } = tag.settings;
    if (!wanted || `${tab.get("clabo_same") || ""}` >= time || !tab.set("clabo_same", time)) return;
    fetch(`${to}/same/${key}/${tag.visitor()}.json`, { credentials: "omit" })
      .then((answer) => answer.json())
      .then(({ variants }) => {
        for (const { key: test } of tests)
          if (variants[test]) tried(() => localStorage.setItem(`clabo_w${test}`, variants[test]));
      })
      .catch(() => {});
  };
  if (window.clabo) window.clabo.person = guard(state);
  for (const said of tag.early) state(said);
});

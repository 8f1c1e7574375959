/** Changes what is on a page, as the visitor's variant has it, and keeps it so while the page draws itself anew. */

import { find, keep, type Making, patience, selectors, watch } from "../changing";
import type { Held } from "../content";
import { holds } from "../place";
import { tab, tried } from "../safe";
import type { Change, SplitTest } from "../settings";
import { assign, enters } from "../splits";
import type { Tag } from "../tag";

/** By then what is to be found should have been there. */
const PATIENCE = 6000;

interface Running {
  test: SplitTest;
  letter: string;
  changes: Change[];
  /** Selectors of all variants, in order; and those for which there was an element. */
  asked: string[];
  met: Set<string>;
  made: Making;
  told: boolean;
}

function start(tag: Tag) {
  const { settings } = tag;
  const [held] = tag.early as Held[];
  let running: Running[] = [];
  const budget = patience();

  function look() {
    for (const one of running) {
      for (const selector of one.asked) if (!one.met.has(selector) && find(selector)[0]) one.met.add(selector);
      keep(one.changes, one.made, budget);
      if (!one.told && one.asked.every((selector) => one.met.has(selector))) {
        one.told = true;
        const name = `clabo_in_${one.test.key}`;
        if (tab.get(name) !== one.letter) {
          tab.set(name, one.letter);
          tag.event("note", undefined, { variants: { [one.test.key]: one.letter } });
        }
      }
    }
    watching.quiet();
  }
  const watching = watch(() => running[0] && look());

  /** Which tests this page is in; what was changed for the page before is undone. */
  function begin() {
    const before = running;
    running = [];
    const visitor = tag.visitor();
    for (const test of settings.tests) {
      const { changes, variants } = test;
      const chosen = visitor && changes && holds(settings, test.where, location) ? assign(visitor, test) : undefined;
      if (!chosen || !changes || !enters(test, tag.facts)) continue;
      const same = before.find((one) => one.test === test);
      const asked = changes.flatMap(selectors);
      const mine = changes[variants.indexOf(chosen)] ?? [];
      running.push(
        same ?? { test, letter: chosen[0], changes: mine, asked, met: new Set(), made: new Map(), told: false },
      );
    }
    for (const one of before)
      if (!running.includes(one))
        for (const made of one.made.values()) for (const each of made.values()) tried(each.undo);
    look();
    const here = location.href;
    setTimeout(() => {
      for (const one of running) {
        const place = one.asked.findIndex((selector) => !one.met.has(selector));
        const name = `clabo_un_${one.test.key}`;
        if (place < 0 || location.href !== here || tab.get(name)) continue;
        tab.set(name, "1");
        tag.event("note", undefined, { unfound: { [one.test.key]: place } });
      }
    }, PATIENCE);
  }

  // Whoever has seen the page as it is, is in no variant of it.
  if (!held?.late) {
    tried(begin);
    // What comes with the rest of the document is changed as it comes.
    if (document.readyState === "loading") addEventListener("DOMContentLoaded", () => held?.release(), { once: true });
    else held?.release();
  }
  tag.viewed.push(() => tried(begin));
}

window.clabo?.part?.("changes", start);

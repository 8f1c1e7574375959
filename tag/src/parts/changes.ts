/** Changes what is on a page, as the visitor's variant has it, and keeps it so while the page draws itself anew. */

import { find, keep, type Making, patience, selectors, watch } from "../changing";
import type { Held } from "../content";
import { holds, page } from "../place";
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
  asked: [selector: string, fallback?: string, of?: string][];
  met: Set<string>;
  made: Making;
  told: boolean;
  /** Its moment has come. */
  open: boolean;
}

/** Calls `then` at the moment, once; and what takes the waiting back. */
function wait({ after, scrolled, leaving }: NonNullable<SplitTest["moment"]>, then: () => void): () => void {
  const stop = new AbortController();
  const come = () => {
    if (stop.signal.aborted) return;
    stop.abort();
    tried(then);
  };
  const listen = (name: string, what: (event: Event) => void, of: EventTarget = window) =>
    of.addEventListener(name, (event) => tried(() => what(event)), {
      signal: stop.signal,
      passive: true,
      capture: true,
    });
  if (after) setTimeout(come, after * 1000);
  if (scrolled) {
    const look = () => {
      const { scrollHeight } = document.documentElement;
      if (((scrollY + innerHeight) / scrollHeight) * 100 >= scrolled) come();
    };
    listen("scroll", look);
    look();
  }
  // The pointer goes out over the top, to the tabs and the address.
  if (leaving)
    listen(
      "mouseout",
      (event) => {
        const { relatedTarget, clientY } = event as MouseEvent;
        if (!relatedTarget && clientY <= 0) come();
      },
      document,
    );
  return () => stop.abort();
}

function start(tag: Tag) {
  const { settings } = tag;
  const [held] = tag.early as Held[];
  let running: Running[] = [];
  const budget = patience();
  const waiting: (() => void)[] = [];

  function look() {
    for (const one of running) {
      if (!one.open) continue;
      for (const [selector, fallback, of] of one.asked)
        if (!one.met.has(selector) && find(selector, fallback, of)[0]) one.met.add(selector);
      keep(one.changes, one.made, budget);
      if (!one.told && one.asked.every(([selector]) => one.met.has(selector))) {
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
  function begin(late?: boolean) {
    const before = running;
    running = [];
    for (const stop of waiting.splice(0)) stop();
    const visitor = tag.visitor();
    for (const test of settings.tests) {
      const { changes, variants } = test;
      const here =
        page(settings, location).host === test.host && test.where?.some((where) => holds(settings, [where], location));
      const chosen = visitor && changes && here ? assign(visitor, test) : undefined;
      if (!chosen || !changes || (late && !test.moment)) continue;
      // Who has been let in stays in; of the others the server is asked once a visit.
      const name = `clabo_a_${test.key}`;
      const known = tried(() => localStorage.getItem(name)) || tab.get(name);
      if (test.ask && known !== "1") {
        if (!known) ask(visitor as string, late);
        continue;
      }
      if (!enters(test, tag.facts)) continue;
      const same = before.find((one) => one.test === test);
      const asked = changes.flatMap(selectors);
      const mine = changes[variants.indexOf(chosen)] ?? [];
      // What comes once a tab does not come again on another page of it.
      if (!same && test.moment?.once && tab.get(`clabo_in_${test.key}`)) continue;
      const one: Running = same ?? {
        ...{ test, letter: chosen[0], changes: mine, asked, met: new Set(), made: new Map(), told: false },
        open: !test.moment,
      };
      running.push(one);
      if (test.moment && !one.open)
        waiting.push(
          wait(test.moment, () => {
            one.open = true;
            look();
            watchFor([one]);
          }),
        );
    }
    for (const one of before)
      if (!running.includes(one))
        for (const made of one.made.values()) for (const each of made.values()) tried(each.undo);
    look();
    watchFor(running.filter((one) => one.open));
  }

  let asking = false;
  /** Which tests' audiences the visitor is in; what is touched stays out of sight meanwhile, as long as it may. */
  function ask(visitor: string, late?: boolean) {
    if (asking) return;
    asking = true;
    const done = (keys: string[]) => {
      for (const { key, ask } of settings.tests) {
        const name = `clabo_a_${key}`;
        if (ask) tab.set(name, keys.includes(key) ? "1" : "0");
        if (ask && keys.includes(key)) tried(() => localStorage.setItem(name, "1"));
      }
      begin(late || held?.late);
    };
    fetch(`${settings.to}/in/${settings.key}/${visitor}.json`, { credentials: "omit" })
      .then((answer) => answer.json())
      .then((said) => tried(() => done(said.in)))
      .catch(() => {})
      .then(() => {
        asking = false;
        held?.release();
      });
  }

  /** What should have been there by now is told. */
  function watchFor(some: Running[]) {
    const here = location.href;
    setTimeout(() => {
      for (const one of some) {
        const place = one.asked.findIndex(([selector]) => !one.met.has(selector));
        const name = `clabo_un_${one.test.key}`;
        if (place < 0 || location.href !== here || tab.get(name)) continue;
        tab.set(name, "1");
        tag.event("note", undefined, { unfound: { [one.test.key]: place } });
      }
    }, PATIENCE);
  }

  // Whoever has seen the page as it is, is in no variant of it, unless that waits for a moment.
  tried(() => begin(held?.late));
  // What comes with the rest of the document is changed as it comes.
  const release = () => asking || held?.release();
  if (document.readyState === "loading") addEventListener("DOMContentLoaded", release, { once: true });
  else release();
  tag.viewed.push(() => tried(() => begin()));
}

window.clabo?.part?.("changes", start);

/** Changes what is on a page, as the visitor's variant has it, and keeps it so while the page draws itself anew. */

import { type Asked, find, inner, selectors, trees } from "../changing/finding";
import { pending } from "../changing/hydration";
import { Keeper } from "../changing/keeping";
import { movable } from "../changing/moving";
import { watch } from "../changing/watching";
import type { Held } from "../content";
import { holds, page } from "../place";
import { tab, tried } from "../safe";
import type { Change, SplitTest } from "../settings";
import { assign, enters } from "../splits";
import type { Tag } from "../tag";

/** By then what is to be found should have been there. */
const PATIENCE = 6000;
/** Nothing that is seen says that a framework has taken over what it was sent: so often it is asked, in milliseconds. */
const TAKEN = 20;
/** They draw the page too, and read the one that everybody sees. */
const ROBOTS = /bot\b|crawl|spider|slurp|preview/i;

interface Running {
  test: SplitTest;
  letter: string;
  keeper: Keeper;
  /** Of all variants: selectors, in order; those for which there was an element; moves that could not be made so far. */
  asked: Asked[];
  met: Set<string>;
  moves: NonNullable<Change["move"]>[];
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
  const waiting: (() => void)[] = [];
  const here = () => {
    const { host, path } = page(settings, location);
    return host + path;
  };
  // Which page this is, as far as tests go; a framework changes the address before it draws, and says so to nobody.
  let shown = here();
  /** A framework may still take over what is there: `held` says how long that is waited for. */
  let first = held && !held.late;
  let awaiting = false;
  let asking = false;

  /** Says once a tab what keeps a test from being seen as it was meant. */
  function tell(test: SplitTest, why: "missing" | "overwritten" | "late", place: number) {
    const name = `clabo_${why}_${test.key}`;
    if (tab.get(name)) return;
    tab.set(name, "1");
    tag.event("note", undefined, { hindered: { [test.key]: [why, place] } });
  }

  /** Some of what is to be changed is a framework's to take over; too late for that, nobody is in the test here. */
  function takenOver(one: Running): boolean {
    const how = first && pending(one.asked.flatMap((what) => find(...what)));
    if (!how || (held?.late && how === "perhaps")) return true;
    if (held?.late) {
      running = running.filter((other) => other !== one);
      tell(one.test, "late", 0);
    } else {
      awaiting = true;
      setTimeout(() => tried(look), TAKEN);
    }
    return false;
  }

  function look() {
    if (here() !== shown) return begin();
    awaiting = false;
    for (const one of running) {
      if (!one.open || !takenOver(one)) continue;
      for (const what of one.asked) if (!one.met.has(what[0]) && find(...what)[0]) one.met.add(what[0]);
      one.moves = one.moves.filter((move) => !able(move));
      one.keeper.keep();
      if (!one.told && !one.moves[0] && one.asked.every(([selector]) => one.met.has(selector))) {
        one.told = true;
        const name = `clabo_in_${one.test.key}`;
        if (tab.get(name) !== one.letter) {
          tab.set(name, one.letter);
          tag.event("note", undefined, { variants: { [one.test.key]: one.letter } });
        }
      }
      for (const [selector] of one.asked) for (const root of trees(selector)) watching.into(root);
    }
    watching.quiet();
    if (document.readyState !== "loading") release();
  }
  const release = () => asking || awaiting || held?.release();
  const watching = watch(() => (running[0] || here() !== shown) && look());
  const able = ({ selector, fallback, of }: NonNullable<Change["move"]>) => {
    const [[element], [by]] = [find(selector, fallback), find(of)];
    return element && by && movable(element, by);
  };

  // A framework that handles its links itself goes where they led before.
  addEventListener(
    "click",
    (event) =>
      tried(() => {
        const { button, ctrlKey, metaKey, shiftKey, altKey } = event;
        if (button || ctrlKey || metaKey || shiftKey || altKey) return;
        const link = event.composedPath().find((one) => one instanceof Element && one.matches("a,area")) as Element;
        if (link && running.some((one) => one.keeper.leads(link))) event.stopImmediatePropagation();
      }),
    true,
  );

  /** Which tests this page is in; what was changed for the page before is undone. */
  function begin(late?: boolean) {
    const before = running;
    if (here() !== shown) first = false;
    shown = here();
    running = [];
    for (const stop of waiting.splice(0)) stop();
    const visitor = tag.visitor();
    for (const test of settings.tests) {
      const { changes, variants } = test;
      const on =
        page(settings, location).host === test.host && test.where?.some((where) => holds(settings, [where], location));
      const chosen = visitor && changes && on ? assign(visitor, test) : undefined;
      if (!chosen || !changes) continue;
      if (late && !test.moment) {
        tell(test, "late", 0);
        continue;
      }
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
        ...{ test, letter: chosen[0], asked, met: new Set(), told: false, open: !test.moment },
        moves: changes.flat().flatMap(({ move }) => move ?? []),
        keeper: new Keeper(mine, look, (change) =>
          tell(
            test,
            "overwritten",
            Math.max(
              0,
              asked.findIndex(([selector]) => selector === inner(change).selector),
            ),
          ),
        ),
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
    for (const one of before) if (!running.includes(one)) one.keeper.undo();
    look();
    watchFor(running.filter((one) => one.open));
  }

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
        release();
      });
  }

  /** What should have been there by now is told. */
  function watchFor(some: Running[]) {
    const at = here();
    setTimeout(() => {
      for (const one of some) {
        const place = one.asked.findIndex(([selector]) => !one.met.has(selector));
        if (place >= 0 && here() === at && running.includes(one)) tell(one.test, "missing", place);
      }
    }, PATIENCE);
  }

  if (ROBOTS.test(navigator.userAgent)) return held?.release();
  // Whoever has seen the page as it is, is in no variant of it, unless that waits for a moment.
  tried(() => begin(held?.late));
  // What comes with the rest of the document is changed as it comes.
  addEventListener("DOMContentLoaded", () => tried(release), { once: true });
  tag.viewed.push(() => tried(() => begin()));
}

window.clabo?.part?.("changes", start);

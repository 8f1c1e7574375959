/** Changes what is on a page, as the visitor's variant has it, and keeps it so while the page draws itself anew. */
import type { Held } from "../content";
import { holds } from "../place";
import { tab, tried } from "../safe";
import type { Change, SplitTest } from "../settings";
import { assign } from "../splits";
import type { Tag } from "../tag";

/** A page that undoes a change again and again has the last word after so many times. */
const BUDGET = 300;
/** So often a second the page is looked through, whatever it does. */
const LOOKS = 60;
/** Of one selector, so many elements are changed. */
const MOST = 50;
/** By then what is to be found should have been there. */
const PATIENCE = 6000;

interface Made {
  /** Whether it is still so. */
  holds: () => boolean;
  undo: () => void;
}

interface Running {
  test: SplitTest;
  letter: string;
  changes: Change[];
  /** Selectors of all variants, in order; and those for which there was an element. */
  asked: string[];
  met: Set<string>;
  made: Map<Element, Map<Change, Made>>;
  told: boolean;
}

const find = (selector: string) => tried(() => Array.from(document.querySelectorAll(selector)).slice(0, MOST)) ?? [];
const inner = (change: Change) => Object.values(change)[0] as { selector: string; of?: string };
const selectors = (changes: Change[]) => [
  ...new Set([...changes.map((c) => inner(c).selector), ...changes.flatMap((c) => (c.move ? [c.move.of] : []))]),
];

/** Nodes of text stay what they are, for a framework holds on to them. */
function words(element: Element, text: string): Made {
  const own = Array.from(element.childNodes).filter((node): node is Text => node instanceof Text);
  let nodes = own.filter((node) => node.data.trim());
  if (!nodes[0]) {
    const walker = document.createTreeWalker(element, NodeFilter.SHOW_TEXT);
    while (!nodes[0] && walker.nextNode())
      if ((walker.currentNode as Text).data.trim()) nodes = [walker.currentNode as Text];
  }
  const first = nodes[0] ?? own[0] ?? element.appendChild(document.createTextNode(""));
  const before = new Map([first, ...nodes].map((node) => [node, node.data]));
  for (const node of nodes) if (node !== first) node.data = "";
  first.data = text;
  return {
    holds: () => first.isConnected && first.data === text,
    undo: () => {
      for (const [node, data] of before) if (node !== first || node.data === text) node.data = data;
    },
  };
}

function attributes(element: Element, wanted: Record<string, string | null>): Made {
  const before = Object.keys(wanted).map((name) => [name, element.getAttribute(name)] as const);
  const set = (name: string, value: string | null) =>
    value === null ? element.removeAttribute(name) : element.setAttribute(name, value);
  for (const [name, value] of Object.entries(wanted)) set(name, value);
  return {
    holds: () => Object.entries(wanted).every(([name, value]) => element.getAttribute(name) === value),
    undo: () => {
      for (const [name, value] of before) set(name, value);
    },
  };
}

function style(element: Element, property: string, value: string): Made {
  const { style: own } = element as HTMLElement;
  const before = [own.getPropertyValue(property), own.getPropertyPriority(property)] as const;
  own.setProperty(property, value, "important");
  const now = own.getPropertyValue(property);
  return {
    holds: () => own.getPropertyValue(property) === now && own.getPropertyPriority(property) === "important",
    undo: () => own.setProperty(property, ...before),
  };
}

function stand(element: Element, place: "before" | "after", by: Element): Made {
  const parent = element.parentNode;
  const next = element.nextSibling;
  by[place](element);
  return {
    holds: () =>
      !by.isConnected || (place === "before" ? by.previousElementSibling : by.nextElementSibling) === element,
    undo: () => tried(() => parent?.insertBefore(element, next?.parentNode === parent ? next : null)),
  };
}

const LOOKS_OF: Record<NonNullable<Change["block"]>["template"], string> = {
  banner: "padding:14px 20px;background:#2a2333;color:#fff;text-align:center",
  panel: "padding:20px;border:1px solid rgba(128,128,128,.45);border-radius:6px;margin:16px 0",
  notice: "padding:12px 16px;border-left:4px solid currentColor;margin:12px 0",
};

function block(said: NonNullable<Change["block"]>): Element {
  const box = document.createElement("div");
  box.setAttribute("data-clabo-block", said.template);
  box.style.cssText = LOOKS_OF[said.template];
  const add = (tag: string, text: string | undefined, css: string) => {
    if (!text) return;
    const made = box.appendChild(document.createElement(tag));
    made.textContent = text;
    made.style.cssText = css;
    return made;
  };
  if (said.picture) {
    const picture = box.appendChild(document.createElement("img"));
    picture.alt = "";
    picture.src = said.picture;
    picture.style.cssText = "max-width:100%;display:block;margin:0 0 12px";
  }
  add("strong", said.title, "display:block;font-size:1.1em");
  add("p", said.text, "margin:6px 0 0");
  add("a", said.button, "display:inline-block;margin-top:10px;color:inherit;font-weight:bold")?.setAttribute(
    "href",
    said.to ?? "",
  );
  return box;
}

/** Makes one change of one element; nothing where it cannot be made yet. */
function make(change: Change, element: Element): Made | undefined {
  const { words: w, link, picture, hide, show, move, style: s, block: b } = change;
  if (w) return words(element, w.text);
  if (link) return attributes(element, { href: link.to });
  if (picture) {
    // A source that fits the screen better would go before it.
    for (const source of Array.from(element.closest("picture")?.querySelectorAll("source") ?? [])) source.remove();
    return attributes(element, { src: picture.address, srcset: null, ...(picture.alt && { alt: picture.alt }) });
  }
  if (hide) return style(element, "display", "none");
  if (show) {
    element.removeAttribute("hidden");
    return style(element, "display", "revert");
  }
  if (s) return style(element, s.property, s.value);
  if (move) {
    const [by] = find(move.of);
    return by && by !== element && !element.contains(by) ? stand(element, move.place, by) : undefined;
  }
  if (b) {
    const box = block(b);
    element[b.place](box);
    return { holds: () => box.isConnected, undo: () => box.remove() };
  }
  return undefined;
}

function start(tag: Tag) {
  const { settings } = tag;
  const [held] = tag.early as Held[];
  let running: Running[] = [];
  let budget = BUDGET;

  /** Makes what is not so yet, or not any more. */
  function look() {
    for (const one of running) {
      for (const selector of one.asked) if (!one.met.has(selector) && find(selector)[0]) one.met.add(selector);
      for (const change of one.changes) {
        const found = find(inner(change).selector);
        // A block or another place is for one element.
        for (const element of change.block || change.move ? found.slice(0, 1) : found) {
          const made = one.made.get(element) ?? new Map<Change, Made>();
          one.made.set(element, made);
          const before = made.get(change);
          if (before?.holds() || (before && budget-- <= 0)) continue;
          tried(() => {
            const now = make(change, element);
            // What it was at first is what it goes back to.
            if (now) made.set(change, before && !change.block ? { ...now, undo: before.undo } : now);
          });
        }
      }
      if (!one.told && one.asked.every((selector) => one.met.has(selector))) {
        one.told = true;
        const name = `clabo_in_${one.test.key}`;
        if (tab.get(name) !== one.letter) {
          tab.set(name, one.letter);
          tag.event("note", undefined, { variants: { [one.test.key]: one.letter } });
        }
      }
    }
    observer?.takeRecords();
  }

  let looks = 0;
  let second = 0;
  let due = 0;
  const observer = tried(
    () =>
      new MutationObserver(() => {
        if (!running[0]) return;
        const now = Math.floor(Date.now() / 1000);
        if (now !== second) {
          second = now;
          looks = 0;
        }
        // At once, so that nothing is painted in between; a page that never rests is looked at now and then.
        if (looks++ < LOOKS) tried(look);
        else if (!due)
          due = setTimeout(() => {
            due = 0;
            tried(look);
          }, 250) as unknown as number;
      }),
  );

  /** Which tests this page is in; what was changed for the page before is undone. */
  function begin() {
    const before = running;
    running = [];
    const visitor = tag.visitor();
    for (const test of settings.tests) {
      const { changes, variants } = test;
      const chosen = visitor && changes && holds(settings, test.where, location) ? assign(visitor, test) : undefined;
      if (!chosen || !changes) continue;
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

  observer?.observe(document, {
    childList: true,
    subtree: true,
    characterData: true,
    attributes: true,
    attributeFilter: ["href", "src", "srcset", "style", "class", "hidden"],
  });
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

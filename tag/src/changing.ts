/** Makes what clabo/core/splits/changes.py describes, and keeps it so while the page draws itself anew. */
import { tried } from "./safe";
import type { Change, Node as Written } from "./settings";

/** A page that undoes a change again and again has the last word after so many times. */
const BUDGET = 300;
/** So often a second the page is looked through, whatever it does. */
const LOOKS = 60;
/** Of one selector, so many elements are changed. */
const MOST = 50;
export interface Made {
  /** Whether it is still so. */
  holds: () => boolean;
  undo: () => void;
}

/** What runs, loads or rules something by itself is nothing that a variant changes. */
const NEVER = "script,style,template,noscript,link,meta,base";
/** Where a change of one attribute would do more than it says, only these are changed (clabo/core/splits/changes.py). */
const LINKS = "a,area";
const PICTURES = "img,input[type=image]";
const only = (change: Change) => (change.link ? LINKS : change.picture ? PICTURES : undefined);

const all = (selector: string, of?: string) =>
  tried(() =>
    Array.from(document.querySelectorAll(selector))
      .filter((element) => !element.matches(NEVER) && (!of || element.matches(of)))
      .slice(0, MOST),
  ) ?? [];
export const find = (selector: string, fallback?: string, of?: string) => {
  const found = all(selector, of);
  return found[0] || !fallback ? found : all(fallback, of);
};
export const inner = (change: Change) => Object.values(change)[0] as { selector: string; fallback?: string };
/** What must be found, each once, with what is asked for in its place. */
export const selectors = (changes: Change[]): [selector: string, fallback?: string, of?: string][] => {
  const found = new Map<string, [fallback?: string, of?: string]>();
  for (const change of changes.filter((c) => !c.sheet)) {
    const { selector, fallback } = inner(change);
    const [known, of] = found.get(selector) ?? [];
    found.set(selector, [known ?? fallback, of ?? only(change)]);
  }
  for (const { move } of changes) if (move && !found.has(move.of)) found.set(move.of, []);
  return Array.from(found, ([selector, rest]) => [selector, ...rest]);
};

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

/** Made one by one: nothing is read as markup. */
function grow(into: Element, nodes: Written[]) {
  for (const node of nodes) {
    if (typeof node === "string") into.append(node);
    else {
      const made = document.createElement(node[0]);
      for (const [name, value] of Object.entries(node[1])) made.setAttribute(name, value);
      grow(made, node[2]);
      into.append(made);
    }
  }
  return into;
}

function own(nodes: Written[]): Element {
  const box = document.createElement("div");
  box.setAttribute("data-clabo-block", "own");
  // It stands in nobody's grid or row.
  box.style.display = "contents";
  return grow(box, nodes);
}

/** Rules that hold on the whole page: by a sheet that no policy keeps out, where the browser has such. */
function dress(rules: string[]): Made {
  const sheet = tried(() => new CSSStyleSheet());
  if (sheet && document.adoptedStyleSheets) {
    for (const rule of rules) tried(() => sheet.insertRule(rule, sheet.cssRules.length));
    document.adoptedStyleSheets = [...document.adoptedStyleSheets, sheet];
    return {
      holds: () => document.adoptedStyleSheets.includes(sheet),
      undo: () => {
        document.adoptedStyleSheets = document.adoptedStyleSheets.filter((other) => other !== sheet);
      },
    };
  }
  const style = document.createElement("style");
  style.textContent = rules.join("\n");
  document.documentElement.append(style);
  return { holds: () => style.isConnected, undo: () => style.remove() };
}

/** Makes one change of one element; nothing where it cannot be made yet. */
function make(change: Change, element: Element): Made | undefined {
  const { words: w, link, picture, hide, show, move, style: s, block: b, html, sheet } = change;
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
  if (sheet) return dress(sheet.rules);
  const added = b ?? html;
  if (added) {
    const box = b ? block(b) : own(html?.nodes ?? []);
    element[added.place](box);
    return { holds: () => box.isConnected, undo: () => box.remove() };
  }
  return undefined;
}

/** What was made of which element. */
export type Making = Map<Element, Map<Change, Made>>;
/** How often a page may undo a change and have it made again. */
export const patience = () => ({ left: BUDGET });

/** Makes what is not so yet, or not any more. */
export function keep(changes: Change[], making: Making, budget: { left: number }) {
  for (const change of changes) {
    const { selector, fallback } = inner(change);
    const found = change.sheet ? [document.documentElement] : find(selector, fallback, only(change));
    const added = change.block || change.html;
    // What is added or moved is so beside one element.
    for (const element of added || change.move ? found.slice(0, 1) : found) {
      const made = making.get(element) ?? new Map<Change, Made>();
      making.set(element, made);
      const before = made.get(change);
      if (before?.holds() || (before && budget.left-- <= 0)) continue;
      tried(() => {
        const now = make(change, element);
        // What it was at first is what it goes back to.
        if (now) made.set(change, before && !added ? { ...now, undo: before.undo } : now);
      });
    }
  }
}

/** Calls `look` at every change of the page, at once, and its undoing of the observer's own records. */
export function watch(look: () => void): { quiet: () => void } {
  let looks = 0;
  let second = 0;
  let due = 0;
  const observer = tried(
    () =>
      new MutationObserver(() => {
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
  observer?.observe(document, {
    childList: true,
    subtree: true,
    characterData: true,
    attributes: true,
    attributeFilter: ["href", "src", "srcset", "style", "class", "hidden"],
  });
  return { quiet: () => observer?.takeRecords() };
}

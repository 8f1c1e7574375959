/** Which elements of the page a change means: never what Clabo itself has put there, nor what runs or rules something. */
import { tried } from "../safe";
import type { Change } from "../settings";

/** Of one selector, so many elements are changed. */
const MOST = 500;
/** On everything that is not the page's own. */
export const OURS = "data-clabo-block";
const NEVER = "script,style,template,noscript,link,meta,base";
/** Where a change of one attribute would do more than it says, only these are changed (clabo/core/splits/changes.py). */
const LINKS = "a,area";
const PICTURES = "img,input[type=image]";
/** It says where among others an element stands: what is put in beside it would shift it. */
const BY_PLACE = /:(nth-|first-|last-|only-|empty)|[+~]/;
/** Into an open shadow tree. */
export const INTO = " >> ";

/** What a change needs found: by the selector, else by the fallback, of those that fit `of`. */
export type Asked = [selector: string, fallback?: string, of?: string];

const all = (selector: string, of?: string): Element[] =>
  tried(() => {
    let found: Element[] = [];
    let from: ParentNode[] = [document];
    for (const step of selector.split(INTO)) {
      found = from.flatMap((root) => Array.from(root.querySelectorAll(step)));
      from = found.flatMap((element) => element.shadowRoot ?? []);
    }
    return found
      .filter((element) => !element.matches(NEVER) && !element.closest(`[${OURS}]`) && (!of || element.matches(of)))
      .slice(0, MOST);
  }) ?? [];

export const find = (selector: string, fallback?: string, of?: string) => {
  const found = all(selector, of);
  return found[0] || !fallback ? found : all(fallback, of);
};

/** The open shadow trees on the way to what is asked for: changes in them are seen by watching each. */
export const trees = (selector: string): ShadowRoot[] => {
  const steps = selector.split(INTO).slice(0, -1);
  return steps.flatMap((_, at) => all(steps.slice(0, at + 1).join(INTO)).flatMap((e) => e.shadowRoot ?? []));
};

export const byPlace = ([selector, fallback = ""]: Asked) => BY_PLACE.test(selector + fallback);

const ours = new Set<Element>();
/** Marks what is put into the page, and knows it until it is taken out. */
export function mark(element: Element, kind: string) {
  element.setAttribute(OURS, kind);
  ours.add(element);
  return element;
}
export function takeOut(element: Element) {
  ours.delete(element);
  element.remove();
}
export const somethingPutIn = () => ours.size > 0;

/** What comes of looking at the page without anything of ours: it is out for that long, and never painted so. */
export function asItWas<T>(what: () => T): T {
  const places = Array.from(ours)
    .filter((element) => element.isConnected)
    // In the order of the page: each goes back before what came after it.
    .sort((a, b) => (a.compareDocumentPosition(b) & Node.DOCUMENT_POSITION_FOLLOWING ? -1 : 1))
    .map((element) => [element, element.parentNode, element.nextSibling] as const);
  for (const [element] of places) element.remove();
  try {
    return what();
  } finally {
    for (const [element, parent, next] of places.reverse())
      if (ours.has(element)) tried(() => parent?.insertBefore(element, next));
  }
}

export const inner = (change: Change) => Object.values(change)[0] as { selector: string; fallback?: string };

/** What the change is made of; nothing for a sheet, which needs nothing found. */
export function asked(change: Change): Asked | undefined {
  if (change.sheet) return;
  const { selector, fallback } = inner(change);
  return [selector, fallback, change.link ? LINKS : change.picture ? PICTURES : undefined];
}

/** What must be found for all of them, each once, with what is asked for in its place. */
export function selectors(changes: Change[]): Asked[] {
  const found = new Map<string, Asked>();
  for (const change of changes) {
    const one = asked(change);
    if (!one) continue;
    const [, fallback, of] = found.get(one[0]) ?? [];
    found.set(one[0], [one[0], fallback ?? one[1], of ?? one[2]]);
  }
  for (const { move } of changes) if (move && !found.has(move.of)) found.set(move.of, [move.of]);
  return Array.from(found.values());
}

/** The selector that will find an element again: the most stable one that finds it alone. */
import { find, INTO } from "./changing/finding";

export interface Found {
  selector: string;
  /** By its place alone, or by what looks made by a tool: it may be another one tomorrow. */
  brittle: boolean;
  /** The next best that finds it alone, for when the first finds nothing any more. */
  fallback?: string;
}

// What tools make up anew at each build, or number through.
const MADE_UP = /\d{3,}|[0-9a-f]{6,}|^[_:]|^(ng|css|sc|jsx|svelte|ember|radix)-|__[\w-]{5,}$|[A-Z0-9]{5,}$/;
const ATTRIBUTES = ["name", "aria-label", "alt", "title", "href", "for", "type", "role"];
const MOST_VALUE = 80;

const escaped = (name: string) => CSS.escape(name);
const quoted = (value: string) => `"${value.replace(/["\\]/g, "\\$&")}"`;
const findsAlone = (selector: string, element: Element) => {
  const met = selector.length <= 300 && !/[{}<;@]|\/\*/.test(selector) ? find(selector) : [];
  return met.length === 1 && met[0] === element;
};

/** What tells an element from others by itself, the most stable first. */
function* marks(element: Element): Generator<string> {
  const { id, localName } = element;
  if (id && !MADE_UP.test(id)) yield `#${escaped(id)}`;
  const names = element.getAttributeNames();
  for (const name of [...names.filter((n) => n.startsWith("data-") && !n.startsWith("data-clabo")), ...ATTRIBUTES]) {
    const value = element.getAttribute(name);
    if (value && value.length <= MOST_VALUE && !MADE_UP.test(value))
      yield `${localName}[${escaped(name)}=${quoted(value)}]`;
  }
  const classes = Array.from(element.classList).filter((c) => !MADE_UP.test(c));
  for (const one of classes) yield `${localName}.${escaped(one)}`;
  if (classes.length > 1) yield localName + classes.map((c) => `.${escaped(c)}`).join("");
  yield localName;
}

const placeAmongAlike = (element: Element) => {
  let place = 1;
  for (let before = element.previousElementSibling; before; before = before.previousElementSibling)
    if (before.localName === element.localName) place++;
  return `${element.localName}:nth-of-type(${place})`;
};

/** Every way to find it alone, the most stable first; `into`: the shadow tree that it stands in. */
function* ways(element: Element, into: string): Generator<Found> {
  const alone = (selector: string, one: Element) => findsAlone(into + selector, one);
  const way = (selector: string, brittle: boolean) => ({ selector: into + selector, brittle });
  for (const mark of marks(element)) if (alone(mark, element)) yield way(mark, false);
  // Within what is told apart by itself.
  for (let above = element.parentElement; above; above = above.parentElement)
    for (const outer of marks(above)) {
      if (!alone(outer, above)) continue;
      for (const mark of marks(element)) {
        const both = `${outer} ${mark}`;
        if (alone(both, element)) yield way(both, false);
      }
      break;
    }
  // By place, from the nearest that is told apart by itself.
  let path = placeAmongAlike(element);
  for (let above = element.parentElement; above; above = above.parentElement) {
    for (const outer of marks(above)) {
      const whole = `${outer} > ${path}`;
      if (alone(outer, above) && alone(whole, element)) yield way(whole, true);
    }
    path = `${placeAmongAlike(above)} > ${path}`;
  }
  if (alone(path, element)) yield way(path, true);
}

/** How an element is found alone; nothing where no selector does, as in a closed shadow tree. */
export function selectorOf(element: Element): Found | undefined {
  const root = element.getRootNode();
  const outer = root instanceof ShadowRoot ? selectorOf(root.host) : undefined;
  if (root !== document && !outer) return;
  const into = outer ? outer.selector + INTO : "";
  const all = ways(element, into);
  const best = all.next().value as Found | undefined;
  if (!best) return;
  const brittle = best.brittle || !!outer?.brittle;
  // What ends alike leans on the same mark, and would be lost with it.
  for (const next of all)
    if (!next.selector.endsWith(best.selector.slice(into.length))) return { ...best, brittle, fallback: next.selector };
  return { ...best, brittle };
}

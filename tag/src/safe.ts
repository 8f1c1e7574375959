/**
 * What the tag uses of the page, so that the page cannot break it and it cannot break the page.
 *
 * A page may have replaced built-ins, named a form's field `closest` or a form `cookie`, forbidden storage, or asked for
 * Trusted Types. Whatever the page calls goes through `guard`.
 */
const proto = Element.prototype;
const { closest, getAttribute, matches, querySelectorAll } = proto;

/** Reads or writes where it may be forbidden. */
export function tried<T>(what: () => T): T | undefined {
  try {
    return what();
  } catch {
    return undefined;
  }
}

/** `what` as the page may call it: nothing that it throws gets out. */
export const guard =
  <A extends unknown[]>(what: (...args: A) => unknown) =>
  (...args: A) => {
    tried(() => what(...args));
  };

export const within = (element: Element, selector: string) => closest.call(element, selector);
export const fits = (element: unknown, selector: string) =>
  element instanceof Element && matches.call(element, selector);
export const attribute = (element: Element, name: string) => getAttribute.call(element, name) || "";
export const all = (element: Element, selector: string): NodeListOf<Element> =>
  querySelectorAll.call(element, selector);

/** A property of the document as the browser means it, whatever element of the page has that name. */
export const ofDocument = (name: string) => tried(() => Reflect.get(Document.prototype, name, document));
export const cookies = (): string => ofDocument("cookie") || "";
export const absolute = (address: string) => new URL(address, document.baseURI);

/** What a tab remembers; nothing where nothing may be stored. With a value: whether it stuck. */
export const tab = {
  get: (name: string) => tried(() => sessionStorage.getItem(name)),
  set: (name: string, value: string) => tried(() => sessionStorage.setItem(name, value)) ?? tab.get(name) === value,
};

type Armed = Parameters<typeof addEventListener>;
const armed: Armed[] = [];
/** Listens on the window, also after `document.open`, which takes all listeners away (see `rearm`). */
export function on(names: string, what: (event: never) => unknown, options?: boolean | AddEventListenerOptions) {
  const safe = guard(what);
  for (const name of names.split(" ")) {
    armed.push([name, safe as EventListener, options]);
    addEventListener(name, safe as EventListener, options);
  }
}
export const rearm = () => {
  for (const each of armed) addEventListener(...each);
};

/** 16 bits as four digits. */
const hex = (bits: number) => (bits + 65536).toString(16).slice(1);

/** JSON in plain ASCII, so that its length is its bytes. The page may have replaced the browser's own. */
export function json(value: unknown): string {
  if (typeof value === "string") return `"${value.replace(/[^ !#-[\]-~]/g, (c) => `\\u${hex(c.charCodeAt(0))}`)}"`;
  if (value && typeof value === "object") {
    let text = "";
    const list = Array.isArray(value);
    for (const [name, inner] of Object.entries(value))
      if (inner !== undefined) text += (text && ",") + (list ? "" : `${json(name)}:`) + json(inner);
    return list ? `[${text}]` : `{${text}}`;
  }
  return value === !!value || Number.isFinite(value) ? `${value}` : "null";
}

/** 32 random hexadecimal digits; of use even where the page has replaced what makes random numbers. */
export function newId() {
  const words = new Uint16Array(8);
  let id = "";
  tried(() => crypto.getRandomValues(words));
  for (const word of words) id += hex(word ^ (Math.random() * 65536));
  return id;
}

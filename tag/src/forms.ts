/** A form at the moment it is sent. Names of fields are read, their values never. */
import type { Element } from "./queue";

export interface Submitted {
  event: Event;
  form: HTMLFormElement;
  element: Element;
  /** The page's address then. */
  from: string;
  invalid: boolean;
}

const clip = (text: string | null, most: number) => (text || "").slice(0, most);

/** `form.id` and the like may be shadowed by a field of that name: attributes are not. */
export function described(form: HTMLFormElement): Element {
  const names = new Set<string>();
  for (const field of form.querySelectorAll("[name]")) names.add(clip(field.getAttribute("name"), 100));
  const action = form.getAttribute("action");
  let to = "";
  if (action) {
    try {
      const url = new URL(action, location.href);
      to = url.origin + url.pathname;
    } catch {}
  }
  return {
    id: clip(form.getAttribute("id"), 200),
    name: clip(form.getAttribute("data-clabo-form") || form.getAttribute("name"), 200),
    action: to.slice(0, 300),
    fields: [...names].filter(Boolean).slice(0, 40),
  };
}

/** Read before the page's own handlers, which may empty the fields or take the form away. */
export function submitted(event: Event): Submitted {
  const form = event.target as HTMLFormElement;
  return { event, form, element: described(form), from: location.href, invalid: !!form.querySelector(":invalid") };
}

/** A form at the moment it is sent. Names of fields are read, their values never. */
import type { Element as Traits } from "./queue";
import { absolute, all, attribute, tried } from "./safe";

export interface Submitted {
  event: Event;
  form: HTMLFormElement;
  element: Traits;
  /** The page's address then. */
  from: string;
  invalid: boolean;
}

/** `form.id` and the like may be shadowed by a field of that name: attributes are not. */
export function described(form: Element): Traits {
  const fields: string[] = [];
  for (const field of Array.from(all(form, "[name]"))) {
    const name = attribute(field, "name").slice(0, 100);
    if (name && fields.length < 40 && !fields.includes(name)) fields.push(name);
  }
  const action = attribute(form, "action");
  const to = action && tried(() => absolute(action));
  return {
    id: attribute(form, "id").slice(0, 200),
    name: (attribute(form, "data-clabo-form") || attribute(form, "name")).slice(0, 200),
    action: to ? (to.origin + to.pathname).slice(0, 300) : "",
    fields,
  };
}

/** Read before the page's own handlers, which may empty the fields or take the form away. */
export function submitted(event: Event): Submitted {
  const form = event.target as HTMLFormElement;
  return { event, form, element: described(form), from: location.href, invalid: !!all(form, ":invalid")[0] };
}

/** What is said of forms, by the tag itself and by the part for forms. */
import type { Element as Traits } from "./queue";
import { absolute, all, attribute, tried } from "./safe";

/** A form at the moment it is sent; the part for forms makes something of it. */
export interface Submitted {
  event: Event;
  form: HTMLFormElement;
  /** The page's address then. */
  from: string;
  invalid: boolean;
}

/** `form.id` and the like may be shadowed by a field of that name: attributes are not. Names of fields, never values. */
export function described(form: Element): Traits {
  const fields = new Set(Array.from(all(form, "[name]"), (field) => attribute(field, "name").slice(0, 100)));
  const action = attribute(form, "action");
  const to = action && tried(() => absolute(action));
  return {
    id: attribute(form, "id").slice(0, 200),
    name: (attribute(form, "data-clabo-form") || attribute(form, "name")).slice(0, 200),
    action: to && (to.origin + to.pathname).slice(0, 300),
    fields: [...fields].slice(0, 40),
  };
}

/** A form at the moment it is sent; the part for forms makes something of it. */
export interface Submitted {
  event: Event;
  form: HTMLFormElement;
  /** The page's address then. */
  from: string;
  invalid: boolean;
}

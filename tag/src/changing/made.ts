/** A change that has been made of one element, or one value of it. */
import { tried } from "../safe";

export interface Made {
  /** Whether it is still so. */
  holds: () => boolean;
  make: () => void;
  /** Back to what the page itself wrote last; what the page has written since stays. */
  undo: () => void;
}

type Value = string | null;

/** One value that the page has and a change writes. What the page writes over it is what it goes back to. */
export function cell(read: () => Value, write: (value: Value) => void, wanted: Value): Made {
  let made = false;
  let before: Value = null;
  // As the browser says it back.
  let mine = wanted;
  const holds = () => made && read() === mine;
  return {
    holds,
    make: () => {
      if (!holds()) before = read();
      write(wanted);
      mine = read();
      made = true;
    },
    undo: () => {
      if (holds()) write(before);
      made = false;
    },
  };
}

export const together = (all: Made[]): Made => ({
  holds: () => all.every((one) => one.holds()),
  make: () => {
    for (const one of all) if (!one.holds()) one.make();
  },
  undo: () => {
    for (const one of all) tried(one.undo);
  },
});

export const attribute = (element: Element, name: string, wanted: Value) =>
  cell(
    () => element.getAttribute(name),
    (value) => (value === null ? element.removeAttribute(name) : element.setAttribute(name, value)),
    wanted,
  );

/** A property of the element's own style, above all rules of the page. */
export function property(element: Element, name: string, wanted: string) {
  const { style } = element as HTMLElement;
  return cell(
    () => `${style.getPropertyPriority(name)}:${style.getPropertyValue(name)}`,
    (value) => {
      const [, priority, plain] = /^(\w*):(.*)$/s.exec(value as string) ?? [];
      style.setProperty(name, plain ?? "", priority);
    },
    `important:${wanted}`,
  );
}

/**
 * An element that stands elsewhere. Where it stands in the tree is the page's own matter: a script or a framework that
 * takes an element from the parent that it gave it would fail. In a row or a grid the order is said by style; elsewhere
 * a copy stands in the new place, and the element itself is not shown.
 */
import { tried } from "../safe";
import { mark, takeOut } from "./finding";
import { type Made, property } from "./made";

type Place = "before" | "after";

/** What a copy would not be: what is entered, drawn, played or comes from elsewhere, and elements with code of their own. */
const ALIVE = "form,input,select,textarea,iframe,video,audio,canvas,object,embed,dialog";
const MOST = 300;

const everything = (element: Element) => [element, ...Array.from(element.querySelectorAll("*"))];
const copied = (element: Element) => {
  const all = everything(element);
  return all.length <= MOST && !all.some((one) => one.matches(ALIVE) || one.localName.includes("-"));
};
const inRow = (element: Element, by: Element) => {
  const { parentElement } = element;
  return (
    !!parentElement &&
    parentElement === by.parentElement &&
    /flex|grid/.test(getComputedStyle(parentElement).display) &&
    (sequences.has(parentElement) ||
      Array.from(parentElement.children).every((one) => getComputedStyle(one).order === "0"))
  );
};

/** Whether it can be moved there without the page's own scripts noticing. */
export const movable = (element: Element, by: Element) =>
  element !== by && !element.contains(by) && !by.contains(element) && (inRow(element, by) || copied(element));

interface Step {
  element: Element;
  place: Place;
  by: Element;
}
/** The order in which the children of a row are shown. */
class Sequence {
  private readonly steps: Step[] = [];
  private cells = new Map<Element, [order: number, Made]>();
  constructor(private readonly row: Element) {}

  private wanted(): Element[] {
    const order = Array.from(this.row.children);
    for (const { element, place, by } of this.steps) {
      if (!order.includes(element) || !order.includes(by)) continue;
      order.splice(order.indexOf(element), 1);
      order.splice(order.indexOf(by) + (place === "after" ? 1 : 0), 0, element);
    }
    return order;
  }
  holds(step: Step) {
    return (
      this.steps.includes(step) &&
      this.wanted().every((child, at) => {
        const [order, made] = this.cells.get(child) ?? [];
        return order === at && made?.holds();
      })
    );
  }
  make(step: Step) {
    if (!this.steps.includes(step)) this.steps.push(step);
    this.draw();
  }
  private draw() {
    this.wanted().forEach((child, at) => {
      const [order, known] = this.cells.get(child) ?? [];
      if (order === at && known?.holds()) return;
      known?.undo();
      const made = property(child, "order", `${at}`);
      made.make();
      this.cells.set(child, [at, made]);
    });
  }
  undo(step: Step) {
    const at = this.steps.indexOf(step);
    if (at >= 0) this.steps.splice(at, 1);
    if (this.steps.length) return this.draw();
    for (const [, made] of this.cells.values()) tried(made.undo);
    this.cells.clear();
    sequences.delete(this.row);
  }
}
const sequences = new WeakMap<Element, Sequence>();

function ordered(element: Element, place: Place, by: Element): Made {
  const row = element.parentElement as Element;
  const step = { element, place, by };
  const sequence = () => {
    const found = sequences.get(row) ?? new Sequence(row);
    sequences.set(row, found);
    return found;
  };
  return {
    holds: () => element.parentElement === row && by.parentElement === row && sequence().holds(step),
    make: () => sequence().make(step),
    undo: () => sequence().undo(step),
  };
}

/** Where what was moved is shown: others may stand beside it. */
const copies = new WeakMap<Element, Element>();

/** A look of its own that hangs on an id is written into the copy, which has none. */
const LOOKS = [
  ...["color", "background-color", "font-size", "font-weight", "font-style", "line-height", "text-align"],
  ...["text-transform", "letter-spacing", "display", "padding", "margin", "border", "border-radius", "width"],
];

function likeness(element: Element): HTMLElement {
  const copy = element.cloneNode(true) as HTMLElement;
  for (const script of Array.from(copy.querySelectorAll("script"))) script.remove();
  // What it does when it is clicked the element itself does; and nothing else of the page's is run a second time.
  for (const one of everything(copy))
    for (const name of one.getAttributeNames()) if (/^(id|for|name|on.+)$/.test(name)) one.removeAttribute(name);
  mark(copy, "copy");
  return copy;
}

function alike(element: Element, copy: Element) {
  const own = everything(element).filter((one) => one.localName !== "script");
  everything(copy).forEach((one, at) => {
    const original = own[at];
    if (!original?.id) return;
    const [looks, now] = [getComputedStyle(original), getComputedStyle(one)];
    for (const name of LOOKS) {
      const value = looks.getPropertyValue(name);
      if (value !== now.getPropertyValue(name)) (one as HTMLElement).style.setProperty(name, value);
    }
  });
}

/** A click on the copy is one on what it was copied from. */
function passOn(copy: Element, element: Element) {
  copy.addEventListener(
    "click",
    (event) =>
      tried(() => {
        const { button, ctrlKey, metaKey, shiftKey, altKey, target } = event as MouseEvent;
        if (button || ctrlKey || metaKey || shiftKey || altKey) return;
        const at = everything(copy).indexOf(target as Element);
        const own = everything(element).filter((one) => one.localName !== "script")[at];
        event.preventDefault();
        event.stopImmediatePropagation();
        own?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true, composed: true }));
      }),
    true,
  );
}

function elsewhere(element: Element, place: Place, by: Element): Made {
  let copy: Element | undefined;
  let drawn = "";
  const hidden = property(element, "display", "none");
  const source = () => element.outerHTML;
  const undo = () => {
    hidden.undo();
    if (copy) takeOut(copy);
    copies.delete(element);
    copy = undefined;
  };
  return {
    holds: () => !!copy?.isConnected && by.isConnected && hidden.holds() && source() === drawn,
    make: () => {
      undo();
      copy = likeness(element);
      (copies.get(by) ?? by)[place](copy);
      alike(element, copy);
      copies.set(element, copy);
      passOn(copy, element);
      hidden.make();
      drawn = source();
    },
    undo,
  };
}

/** Decided once: a row's order, or a copy. */
export const moved = (element: Element, place: Place, by: Element): Made | undefined =>
  !movable(element, by) ? undefined : inRow(element, by) ? ordered(element, place, by) : elsewhere(element, place, by);

/** What an element says. Nodes of text stay what they are, for a framework holds on to them. */
import { tried } from "../safe";
import { OURS } from "./finding";
import { cell, type Made } from "./made";

/** What stands in these is no words of the element. */
const SILENT = `script,style,template,noscript,textarea,select,[${OURS}]`;

function texts(element: Element): Text[] {
  const found: Text[] = [];
  const walker = document.createTreeWalker(element, NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const node = walker.currentNode as Text;
    if (!node.parentElement?.closest(SILENT)) found.push(node);
  }
  return found;
}

const written = (node: Text, text: string) =>
  cell(
    () => node.data,
    (value) => {
      node.data = value ?? "";
    },
    text,
  );

/** The first text says all of it and the others nothing, however often the page writes into them. */
export function words(element: Element, text: string): Made {
  const cells = new Map<Text, Made>();
  let first: Text | undefined;
  let added: Text | undefined;
  /** Those that say something, or would without the change. */
  const saying = () => texts(element).filter((node) => cells.has(node) || node.data.trim());
  const undo = () => {
    for (const one of cells.values()) tried(one.undo);
    cells.clear();
    added?.remove();
    first = added = undefined;
  };
  return {
    holds: () => !!first && element.contains(first) && saying().every((node) => cells.get(node)?.holds()),
    make: () => {
      if (!first || !element.contains(first)) {
        undo();
        first = saying()[0] ?? texts(element)[0];
        if (!first) {
          added = document.createTextNode("");
          first = element.appendChild(added);
        }
        cells.set(first, written(first, text));
      }
      for (const node of saying()) {
        const one = cells.get(node) ?? written(node, "");
        cells.set(node, one);
        if (!one.holds()) one.make();
      }
    },
    undo,
  };
}

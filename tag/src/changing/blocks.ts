/** What is put into the page that was not there: a block of a template, or markup of one's own. */
import type { Change, Node as Written } from "../settings";
import { mark, takeOut } from "./finding";
import type { Made } from "./made";

type Block = NonNullable<Change["block"]>;

const LOOKS: Record<Block["template"], string> = {
  banner: "padding:14px 20px;background:#2a2333;color:#fff;text-align:center",
  panel: "padding:20px;border:1px solid rgba(128,128,128,.45);border-radius:6px;margin:16px 0",
  notice: "padding:12px 16px;border-left:4px solid currentColor;margin:12px 0",
};
/** What people who hear a page jump to; beside them a block is one of its own. */
const LANDMARKS = "main,nav,header,footer,aside,[role=main],[role=banner],[role=navigation],[role=contentinfo]";
/** A name that no rule of the page means, and that shifts no place among elements of a kind. */
const BOX = "clabo-block";

function block(said: Block, element: Element): Element {
  const box = document.createElement(BOX);
  box.style.cssText = `display:block;${LOOKS[said.template]}`;
  if (element.matches(LANDMARKS) && !element.parentElement?.closest(LANDMARKS)) {
    box.setAttribute("role", "region");
    box.setAttribute("aria-label", said.title);
  }
  const add = (tag: string, text: string | undefined, css: string) => {
    if (!text) return;
    const made = box.appendChild(document.createElement(tag));
    made.textContent = text;
    made.style.cssText = css;
    return made;
  };
  if (said.picture) {
    const picture = box.appendChild(document.createElement("img"));
    picture.alt = "";
    picture.src = said.picture;
    picture.style.cssText = "max-width:100%;display:block;margin:0 0 12px";
  }
  add("strong", said.title, "display:block;font-size:1.1em");
  add("p", said.text, "margin:6px 0 0");
  add("a", said.button, "display:inline-block;margin-top:10px;color:inherit;font-weight:bold")?.setAttribute(
    "href",
    said.to ?? "",
  );
  return mark(box, said.template);
}

/** Made one by one: nothing is read as markup. */
function grow(into: Element, nodes: Written[]) {
  for (const node of nodes) {
    if (typeof node === "string") into.append(node);
    else {
      const made = document.createElement(node[0]);
      for (const [name, value] of Object.entries(node[1])) made.setAttribute(name, value);
      grow(made, node[2]);
      into.append(made);
    }
  }
  return into;
}

function own(nodes: Written[]): Element {
  const box = document.createElement(BOX);
  // It stands in nobody's grid or row.
  box.style.display = "contents";
  return mark(grow(box, nodes), "own");
}

/** Stands beside the element as long as that is there. */
export function putIn({ block: b, html }: Change, element: Element): Made {
  const { place } = (b ?? html) as { place: "before" | "after" };
  let box: Element | undefined;
  const undo = () => {
    if (box) takeOut(box);
    box = undefined;
  };
  return {
    holds: () => !!box?.isConnected && element.isConnected,
    make: () => {
      undo();
      box = b ? block(b, element) : own(html?.nodes ?? []);
      element[place](box);
    },
    undo,
  };
}

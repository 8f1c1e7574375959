/**
 * Whether a framework is still to take over what the server wrote. It compares what is there with what it would have
 * written, so that until then nothing of it may be changed.
 */
import { tried } from "../safe";

/** Roots of pages that a server drew. */
const DRAWN = "#__next,#__nuxt,#___gatsby,[data-reactroot],[data-server-rendered],[data-hk]";
/** What servers leave about blocks, for the framework to find them again; nothing that a browser draws has these. */
const LEFT = /^(\$[?!]?|\/\$|\[!?|\])$/;
/** Where apps are usually put; that something is in it says little. */
const USUAL = "#root,#app,#svelte";
const COMMENTS = 500;
/** So many milliseconds after a page has loaded, nothing more will take it over where nothing says that it was drawn by a server. */
const QUIET = 300;

function marked(): boolean {
  if (document.querySelector(DRAWN)) return true;
  const walker = document.createTreeWalker(document.documentElement, NodeFilter.SHOW_COMMENT);
  for (let n = 0; n < COMMENTS && walker.nextNode(); n++) {
    const { data, previousSibling, nextSibling } = walker.currentNode as Comment;
    if (LEFT.test(data)) return true;
    // Between two texts that are one to a reader of HTML.
    if (data === " " && previousSibling instanceof Text && nextSibling instanceof Text) return true;
  }
  return false;
}

const has = (node: object, sign: RegExp) => Object.keys(node).some((key) => sign.test(key));

/** What frameworks leave on what is theirs by now. */
function taken(element: Element): boolean {
  // One of them takes element by element; a root that has begun says nothing of what is in it.
  if (has(element, /^__reactFiber/)) return true;
  for (let node: Node | null = element; node; node = node.parentNode) {
    if (has(node, /^__reactContainer/)) return false;
    if (has(node, /^(__vue_app__|_vnode|__vnode|__k|_k|__svelte|\$\$)/)) return true;
  }
  return Object.keys(Element.prototype).some((key) => /^__(click|className)$/.test(key));
}

const now = () => performance.now();
let loaded = 0;
tried(() => {
  const [{ loadEventEnd }] = performance.getEntriesByType("navigation") as [PerformanceNavigationTiming];
  if (document.readyState === "complete") loaded = loadEventEnd || now();
  else
    addEventListener("load", () => {
      loaded = now();
    });
});

/** Whether some of them are still to be taken over by somebody who expects them as they came. */
export function pending(elements: Element[]): "surely" | "perhaps" | undefined {
  const waiting = elements.filter((element) => !taken(element));
  // An island says so itself, and may wait for whatever it likes.
  if (elements.some((element) => element.closest("astro-island[ssr]")) || (waiting[0] && marked())) return "surely";
  if (loaded && now() - loaded > QUIET) return;
  return waiting.some((element) => element.closest(USUAL)) ? "perhaps" : undefined;
}

/** What rules ask to be looked out for on this page: an element that appears, time in front, depth of scrolling. */
import { holds } from "../place";
import type { Watched } from "../settings";
import type { Tag } from "../tag";

const visible = (element: Element | null) => !!element?.getClientRects().length;

/** Whether an element is to be seen that fits the selector and says the text, as far as they are given. */
function shows({ selector, text }: NonNullable<Watched["shown"]>) {
  try {
    if (selector) {
      for (const element of document.querySelectorAll(selector))
        if (visible(element) && (!text || (element.textContent ?? "").includes(text))) return true;
      return false;
    }
    const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
    while (walker.nextNode())
      if (text && walker.currentNode.nodeValue?.includes(text) && visible(walker.currentNode.parentElement))
        return true;
  } catch {}
  return false;
}

/** `what`, at most once in `wait` milliseconds. */
function seldom(wait: number, what: () => void) {
  let timer: ReturnType<typeof setTimeout> | undefined;
  return () => {
    if (timer !== undefined) return;
    timer = setTimeout(() => {
      timer = undefined;
      what();
    }, wait);
  };
}

function start({ settings, event, viewed }: Tag) {
  const wanted = () => (settings.watch ?? []).filter((w) => holds(settings, w.where, location));
  let seconds = 0;
  let deepest = 0;
  let told = new Set<string>();
  const there = new Map<string, boolean>();

  const reached = (kind: "stay" | "scroll", amount: number) => {
    for (const w of wanted()) {
      const asked = w[kind];
      if (asked && amount >= asked && !told.has(kind + asked)) {
        told.add(kind + asked);
        event(kind, undefined, { reached: asked });
      }
    }
  };

  const look = () => {
    for (const w of wanted()) {
      if (!w.shown) continue;
      const name = JSON.stringify(w.shown);
      const now = shows(w.shown);
      // What was there from the beginning has not appeared.
      if (now && there.get(name) === false) event("shown", w.shown);
      there.set(name, now);
    }
  };

  const scrolled = () => {
    const whole = document.documentElement.scrollHeight;
    const depth = whole ? Math.round((100 * (scrollY + innerHeight)) / whole) : 0;
    deepest = Math.max(deepest, depth);
    reached("scroll", deepest);
  };

  if (!(settings.watch ?? []).length) return;
  look();
  new MutationObserver(seldom(300, look)).observe(document.documentElement, {
    childList: true,
    subtree: true,
    attributes: true,
  });
  setInterval(() => {
    if (document.visibilityState === "visible") reached("stay", ++seconds);
  }, 1000);
  addEventListener("scroll", seldom(200, scrolled), { passive: true });
  viewed.push(() => {
    seconds = deepest = 0;
    told = new Set();
    there.clear();
    look();
  });
}

window.clabo?.part?.("watch", start);

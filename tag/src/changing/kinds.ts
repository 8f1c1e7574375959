/** What becomes of one element, by the kind of change (clabo/core/splits/changes.py). */
import { tried } from "../safe";
import type { Change } from "../settings";
import { putIn } from "./blocks";
import { attribute, type Made, property, together } from "./made";
import { moved } from "./moving";
import { words } from "./words";

/** Rules that hold on the whole page: by a sheet that no policy keeps out, where the browser has such. */
function dress(rules: string[]): Made {
  const sheet = tried(() => new CSSStyleSheet());
  if (sheet && document.adoptedStyleSheets) {
    for (const rule of rules) tried(() => sheet.insertRule(rule, sheet.cssRules.length));
    const without = () => document.adoptedStyleSheets.filter((other) => other !== sheet);
    return {
      holds: () => document.adoptedStyleSheets.includes(sheet),
      make: () => {
        document.adoptedStyleSheets = [...without(), sheet];
      },
      undo: () => {
        document.adoptedStyleSheets = without();
      },
    };
  }
  const style = document.createElement("style");
  style.textContent = rules.join("\n");
  return {
    holds: () => style.isConnected,
    make: () => document.documentElement.append(style),
    undo: () => style.remove(),
  };
}

/** A source that fits the screen better would go before the picture itself. */
const pictured = (element: Element, address: string, alt?: string) =>
  together([
    ...Array.from(element.closest("picture")?.querySelectorAll("source") ?? []).flatMap((source) => [
      attribute(source, "srcset", address),
      attribute(source, "type", null),
    ]),
    attribute(element, "srcset", null),
    attribute(element, "src", address),
    ...(alt ? [attribute(element, "alt", alt)] : []),
  ]);

/** What the change makes of the element; nothing where it cannot be made of it. `by`: what a move is to stand beside. */
export function makingOf(change: Change, element: Element, by?: Element): Made | undefined {
  const { words: w, link, picture, hide, show, move, style: s, sheet } = change;
  if (w) return words(element, w.text);
  if (link) return attribute(element, "href", link.to);
  if (picture) return pictured(element, picture.address, picture.alt);
  if (hide) return property(element, "display", "none");
  if (show) return together([attribute(element, "hidden", null), property(element, "display", "revert")]);
  if (s) return property(element, s.property, s.value);
  if (move) return by && moved(element, move.place, by);
  if (sheet) return dress(sheet.rules);
  return putIn(change, element);
}

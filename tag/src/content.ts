/** Keeps what a variant changes on this page out of sight until it is changed. */
import { tried } from "./safe";

export interface Held {
  /** It was shown as it was: on this page it is too late for any change, and nobody is in a test of it. */
  late?: boolean;
  release: () => void;
}

/** By a sheet that no policy keeps out; not where the page has been seen by now. */
export function hold(selectors: string[], late?: boolean): Held {
  const held: Held = { late, release: () => {} };
  if (late) return held;
  tried(() => {
    const sheet = new CSSStyleSheet();
    for (const each of selectors) tried(() => sheet.insertRule(`${each}{visibility:hidden!important}`));
    document.adoptedStyleSheets.push(sheet);
    held.release = () => sheet.replaceSync("");
  });
  // Milliseconds, written here: the tag has no byte to spare for a name. What was painted is seen since the page began.
  setTimeout(
    () => {
      held.late = true;
      held.release();
    },
    performance.getEntriesByType("paint")[0] ? 800 - performance.now() : 800,
  );
  return held;
}

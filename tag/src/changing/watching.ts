/** Looks at the page whenever it changes, before that is painted. */
import { tried } from "../safe";

/** So often a second the page is looked through, whatever it does. */
const LOOKS = 60;
const ATTRIBUTES = ["href", "src", "srcset", "style", "class", "hidden", "type", "alt"];

export interface Watching {
  /** What has been done since the last look was our own. */
  quiet: () => void;
  /** Looks into this shadow tree too. */
  into: (root: ShadowRoot) => void;
}

export function watch(look: () => void): Watching {
  let looks = 0;
  let second = 0;
  let due = 0;
  const observer = tried(
    () =>
      new MutationObserver(() => {
        const now = Math.floor(Date.now() / 1000);
        if (now !== second) {
          second = now;
          looks = 0;
        }
        // At once, so that nothing is painted in between; a page that never rests is looked at now and then.
        if (looks++ < LOOKS) tried(look);
        else if (!due)
          due = setTimeout(() => {
            due = 0;
            tried(look);
          }, 250) as unknown as number;
      }),
  );
  const roots = new WeakSet<Node>();
  const into = (root: Node) => {
    if (roots.has(root)) return;
    roots.add(root);
    observer?.observe(root, {
      ...{ childList: true, subtree: true, characterData: true, attributes: true },
      attributeFilter: ATTRIBUTES,
    });
  };
  into(document);
  return { quiet: () => observer?.takeRecords(), into };
}

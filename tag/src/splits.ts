import { admits, type Facts } from "./entrants";
import { on, tab, tried } from "./safe";
import type { Settings, SplitTest, Variant } from "./settings";

declare const __CONTENT__: boolean;
declare const __WHO__: boolean;
declare const __MORE__: boolean;

/** FNV-1a, then MurmurHash3's finaliser. The same as clabo/core/splits/assignment.py; see split-vectors.json. */
export function hash32(text: string): number {
  let value = 0x811c9dc5;
  // Keys and ids are ASCII.
  for (let i = 0; i < text.length; i++) value = Math.imul(value ^ text.charCodeAt(i), 0x01000193);
  value ^= value >>> 16;
  value = Math.imul(value, 0x85ebca6b);
  value ^= value >>> 13;
  value = Math.imul(value, 0xc2b2ae35);
  return (value ^ (value >>> 16)) >>> 0;
}

const point = (visitor: string, salt: string) => hash32(`${salt}.${visitor}`) / 2 ** 32;

/** Whether somebody is let in. Who once has been stays in, however they come later, as far as the browser remembers. */
export function enters({ key, who }: SplitTest, facts?: () => Facts) {
  const name = `clabo_w${key}`;
  return (
    !__WHO__ ||
    !who ||
    tried(() => localStorage.getItem(name)) ||
    // Nothing comes of setting it, whether it sticks or not.
    (admits(who, (facts as () => Facts)()) && !tried(() => localStorage.setItem(name, "1")))
  );
}

/** The variant that `visitor` sees, or undefined outside the test. */
export function assign(visitor: string, test: SplitTest): Variant | undefined {
  if (__MORE__) {
    // What the same person saw elsewhere first, where the page says who they are (parts/person.ts).
    const same = test.variants.find(([letter]) => letter === tried(() => localStorage.getItem(`clabo_w${test.key}`)));
    if (same) return same;
  }
  const slot = point(visitor, `${(__WHO__ && test.layer) || test.key}:in`) * 100 - ((__WHO__ && test.start) || 0);
  if ((__WHO__ && slot < 0) || slot >= (test.traffic ?? 100)) return;
  const place = point(visitor, (__WHO__ && test.salt) || test.key) * 100;
  let edge = 0;
  let chosen: Variant | undefined;
  // The last, where the shares come to less than the whole.
  for (chosen of test.variants) {
    edge += chosen[2];
    if (place < edge) break;
  }
  return chosen;
}

/**
 * Which variants this page is, and whether the visitor is sent on to another one.
 *
 * Nobody is sent on twice for a test without having acted in between: a variant that leads back to its control ends at
 * the control, for this visit, and `ledBack` is told. `touched` comes to hold what tests of this page's content touch. Where a tab can remember nothing, nobody is sent on. What a tab
 * remembers of a test: `s`ent on, `a`rrived at a time, `u`sed since, led `b`ack.
 */
export function route(
  settings: Settings,
  visitor: string,
  variants: Record<string, string>,
  ledBack: (test: string) => void,
  touched: unknown[],
  facts?: () => Facts,
): string | undefined {
  const { host, pathname } = location;
  const plain = (path: string) => (tried(() => decodeURI(path)) ?? path).replace(/\/+$/, "");
  const here = plain(pathname);
  const is = (variant: Variant) => plain(variant[1]) === here;
  for (const test of settings.tests) {
    if (test.host !== (settings.stand?.[host] ?? host)) continue;
    const chosen = assign(visitor, test);
    const mine = chosen && is(chosen);
    const first = __CONTENT__ && test.on ? RegExp(test.on).test(test.host + here) : is(test.variants[0] as Variant);
    if (!chosen || !(mine || first) || (__WHO__ && !enters(test, facts))) continue;
    if (__CONTENT__ && test.hold) {
      touched.push(test.hold[test.variants.indexOf(chosen)]);
      continue;
    }
    const name = `clabo_on_${test.key}`;
    const was = tab.get(name) || "";
    if (mine) {
      variants[test.key] = chosen[0];
      if (was === "s") {
        tab.set(name, `a${Date.now()}`);
        on("pointerdown keydown", () => tab.set(name, "u"), { once: true });
      }
    } else if (was === "s" || Date.now() - +was.slice(1) < 10_000) {
      // Left again within ten seconds, without anybody having touched it: the variant has led back by itself.
      tab.set(name, "b");
      ledBack(test.key);
    } else if (was !== "b" && tab.set(name, "s")) return chosen[1];
  }
}

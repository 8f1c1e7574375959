import type { SplitTest, Variant } from "./settings";

/** FNV-1a, then MurmurHash3's finaliser. The same as clabo/core/splits.py; see split-vectors.json. */
export function hash32(text: string): number {
  let value = 0x811c9dc5;
  for (const byte of new TextEncoder().encode(text)) {
    value = Math.imul(value ^ byte, 0x01000193);
  }
  value ^= value >>> 16;
  value = Math.imul(value, 0x85ebca6b);
  value ^= value >>> 13;
  value = Math.imul(value, 0xc2b2ae35);
  return (value ^ (value >>> 16)) >>> 0;
}

const point = (visitor: string, salt: string) => hash32(`${salt}.${visitor}`) / 4294967296;

/** The variant that `visitor` sees, or undefined outside the test. */
export function assign(visitor: string, test: SplitTest): Variant | undefined {
  if (test.traffic < 100 && point(visitor, `${test.key}:in`) * 100 >= test.traffic) return undefined;
  const place = point(visitor, test.key) * 100;
  let edge = 0;
  for (const variant of test.variants) {
    edge += variant.share;
    if (place < edge) return variant;
  }
  return test.variants[test.variants.length - 1];
}

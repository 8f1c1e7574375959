/**
 * The hash of an e-mail address or customer id, the same as the server's (clabo/core/trust/identities.py; both are held to
 * identity-vectors.json). Written out, for browsers give their own SHA-256 to secure pages only, and only later.
 */
export type Identity = "email" | "id";

export function normalise(kind: Identity, text: string): string {
  const composed = text.normalize("NFC").replace(/^[ \t\n\v\f\r\u00a0\ufeff]+|[ \t\n\v\f\r\u00a0\ufeff]+$/g, "");
  return kind === "email" ? composed.toLowerCase() : composed;
}

/** SHA-256 of the normalised text as hexadecimal digits; nothing of nothing. */
export function digest(kind: Identity, text: string): string | undefined {
  const normal = normalise(kind, text);
  return normal ? sha256(utf8(normal)) : undefined;
}

function utf8(text: string): number[] {
  const bytes: number[] = [];
  for (const sign of text) {
    const code = sign.codePointAt(0) as number;
    // Half of a pair without the other becomes what the encoders make of it.
    const c = code >= 0xd800 && code < 0xe000 ? 0xfffd : code;
    if (c < 0x80) bytes.push(c);
    else if (c < 0x800) bytes.push(0xc0 | (c >> 6), 0x80 | (c & 63));
    else if (c < 0x10000) bytes.push(0xe0 | (c >> 12), 0x80 | ((c >> 6) & 63), 0x80 | (c & 63));
    else bytes.push(0xf0 | (c >> 18), 0x80 | ((c >> 12) & 63), 0x80 | ((c >> 6) & 63), 0x80 | (c & 63));
  }
  return bytes;
}

/** The first 32 bits of the fractional part of a root of each of the first primes (FIPS 180-4, 4.2.2 and 5.3.3). */
function roots(count: number, power: number): number[] {
  const found: number[] = [];
  for (let n = 2; found.length < count; n++) {
    let prime = true;
    for (let d = 2; d * d <= n; d++) if (n % d === 0) prime = false;
    if (prime) found.push(((n ** power % 1) * 2 ** 32) | 0);
  }
  return found;
}

/** FIPS 180-4, 6.2. */
function sha256(message: number[]): string {
  const k = roots(64, 1 / 3);
  const h = roots(8, 1 / 2);
  const bits = message.length * 8;
  const padded = [...message, 0x80];
  while (padded.length % 64 !== 56) padded.push(0);
  for (let i = 7; i >= 0; i--) padded.push(Math.floor(bits / 2 ** (8 * i)) & 255);
  const right = (x: number, n: number) => (x >>> n) | (x << (32 - n));
  for (let start = 0; start < padded.length; start += 64) {
    const w: number[] = [];
    for (let i = 0; i < 64; i++) {
      if (i < 16) {
        const at = start + 4 * i;
        w[i] = [0, 1, 2, 3].reduce((word, j) => (word << 8) | (padded[at + j] as number), 0);
      } else {
        const a = w[i - 15] as number;
        const b = w[i - 2] as number;
        const s0 = right(a, 7) ^ right(a, 18) ^ (a >>> 3);
        const s1 = right(b, 17) ^ right(b, 19) ^ (b >>> 10);
        w[i] = ((w[i - 16] as number) + s0 + (w[i - 7] as number) + s1) | 0;
      }
    }
    let [a, b, c, d, e, f, g, hh] = h as [number, number, number, number, number, number, number, number];
    for (let i = 0; i < 64; i++) {
      const s1 = right(e, 6) ^ right(e, 11) ^ right(e, 25);
      const t1 = (hh + s1 + ((e & f) ^ (~e & g)) + (k[i] as number) + (w[i] as number)) | 0;
      const s0 = right(a, 2) ^ right(a, 13) ^ right(a, 22);
      const t2 = (s0 + ((a & b) ^ (a & c) ^ (b & c))) | 0;
      [hh, g, f, e, d, c, b, a] = [g, f, e, (d + t1) | 0, c, b, a, (t1 + t2) | 0];
    }
    [a, b, c, d, e, f, g, hh].forEach((word, i) => {
      h[i] = ((h[i] as number) + word) | 0;
    });
  }
  return h.map((word) => (word >>> 0).toString(16).padStart(8, "0")).join("");
}

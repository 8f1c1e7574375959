/** Scales that a column's bars share: from 0 on, or logarithmic about a value that decides. */

export interface Scale {
  low: number;
  high: number;
  log: boolean;
  /** What decides, drawn on every bar: the break-even of a return. */
  mark?: number;
}

interface Estimated {
  estimate: number | null | undefined;
  /** Too little to say: it never stretches the scale. */
  thin?: boolean;
}

/** The next round number above the largest value, for a scale that a person can read. */
export function scaleEnd(values: (number | null | undefined)[]) {
  const top = Math.max(0, ...values.map((v) => (v == null || !Number.isFinite(v) ? 0 : v)));
  if (!top) return 1;
  const size = 10 ** Math.floor(Math.log10(top));
  return ([1, 1.5, 2, 3, 4, 5, 6, 8, 10].find((step) => step * size >= top) ?? 10) * size;
}

/** How many times as much, or as little, a return's scale reaches to either side of break-even. */
const REACHES = [2, 3, 4, 6, 10, 20, 50, 100];

/**
 * A return's scale: as far above break-even as below, so that equal factors are equal lengths. It covers the middle 98 %
 * of the rows that have evidence; what lies beyond is drawn as an arrow.
 */
export function returnScale(rows: Estimated[], breakEven: number | null | undefined): Scale {
  // Where break-even is not known, about what is got back.
  const mark = breakEven && breakEven > 0 ? breakEven : undefined;
  const centre = mark ?? 1;
  const solid = rows.filter((r) => !r.thin && r.estimate != null && r.estimate > 0);
  const factors = solid.map((r) => Math.exp(Math.abs(Math.log((r.estimate ?? centre) / centre)))).sort((a, b) => a - b);
  const needed = factors.length ? (factors[Math.ceil(0.98 * factors.length) - 1] ?? 1) : 1;
  const reach = REACHES.find((r) => r >= needed) ?? 100;
  return { low: centre / reach, high: centre * reach, log: true, mark };
}

/** Where a value lies, from 0 at the scale's beginning to 1 at its end; less or more beyond them. */
export function placeOn(scale: Scale, value: number) {
  if (!scale.log) return (value - scale.low) / (scale.high - scale.low);
  if (value <= 0) return Number.NEGATIVE_INFINITY;
  return Math.log(value / scale.low) / Math.log(scale.high / scale.low);
}

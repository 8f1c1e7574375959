import { describe, expect, it } from "vitest";
import { placeOn, returnScale, scaleEnd } from "../src/charts/scale";

const rows = (...estimates: number[]) => estimates.map((estimate) => ({ estimate }));

describe("a return's scale", () => {
  it("lies about break-even, where equal factors are equal lengths", () => {
    const scale = returnScale(rows(2, 5), 2.5);
    expect(scale).toEqual({ low: 1.25, high: 5, log: true, mark: 2.5 });
    expect(placeOn(scale, 2.5)).toBeCloseTo(0.5);
    expect(placeOn(scale, 1.25)).toBeCloseTo(0);
    expect(placeOn(scale, 5)).toBeCloseTo(1);
    expect(placeOn(scale, 2.5 * 1.3) + placeOn(scale, 2.5 / 1.3)).toBeCloseTo(1);
  });
  it("reaches every row that has evidence, and is never stretched by one that has none", () => {
    expect(returnScale(rows(2.8, 1.1), 1).high).toBe(3);
    expect(returnScale([...rows(1.5), { estimate: 40, thin: true }], 1).high).toBe(2);
    expect(
      returnScale(
        [...Array(60)].map((_, n) => ({ estimate: n ? 1.2 : 90 })),
        1,
      ).high,
    ).toBe(2);
  });
  it("stands without a return, a break-even, or any row", () => {
    expect(returnScale([], undefined)).toEqual({ low: 0.5, high: 2, log: true, mark: undefined });
    expect(returnScale(rows(0), 0).high).toBe(2);
    expect(placeOn(returnScale(rows(3), 1), 0)).toBe(Number.NEGATIVE_INFINITY);
  });
});

describe("a scale from 0 on", () => {
  it("ends at the next round number", () => {
    expect([scaleEnd([0.043]), scaleEnd([7, null]), scaleEnd([])]).toEqual([0.05, 8, 1]);
    expect(placeOn({ low: 0, high: 4, log: false }, 1)).toBe(0.25);
  });
});

import { expect, test } from "vitest";
import { readWidths, saidWidths } from "../src/features/report/widths";

test("what an address says is what was set", () => {
  const one = saidWidths(readWidths(undefined), "own:3", 120);
  expect(one).toBe("own:3:120");
  const two = saidWidths(readWidths(one), "page", 300);
  expect([...readWidths(two)]).toEqual([
    ["own:3", 120],
    ["page", 300],
  ]);
  expect(saidWidths(readWidths("page:300"), "page", undefined)).toBeUndefined();
});

test("nonsense is passed over", () => {
  expect([...readWidths("page,:90,roas:wide,entries:9,rate:90000,spend:90")]).toEqual([["spend", 90]]);
});

import { describe, expect, it } from "vitest";
import { readPagesSearch } from "../src/features/pages/search";
import { CHANNELS, lensQuery, MODELS, readLens } from "../src/lib/lens";

describe("the lens in the address", () => {
  it("leaves out what is not there or is no word", () => {
    expect(readLens({})).toEqual({});
    expect(readLens({ period: 5, origin: "", conversion: "x", device: null })).toEqual({});
    expect(readLens({ conversion: "-1" }).conversion).toBeUndefined();
    expect(readLens({ conversion: "7.5" }).conversion).toBeUndefined();
  });
  it("keeps its words, and only those are asked for", () => {
    const read = readPagesSearch({
      period: "7d",
      origin: "source:meadow",
      conversion: "3",
      model: "first",
      open: "12",
      sort: "-roas",
    });
    expect(lensQuery(read)).toEqual({
      period: "7d",
      origin: "source:meadow",
      device: undefined,
      conversion: 3,
      model: "first",
      compare: undefined,
    });
    expect([read.open, read.sort]).toEqual([12, "-roas"]);
  });
  it("does not take nonsense for a page", () => {
    expect(readPagesSearch({ open: "x", a: "", b: "4", columns: 5 })).toMatchObject({
      open: undefined,
      b: 4,
      columns: undefined,
    });
  });
  it("has a name for every model and channel", () => {
    expect(Object.keys(MODELS)).toHaveLength(4);
    expect(Object.values(CHANNELS).every(Boolean)).toBe(true);
  });
});

import { describe, expect, it } from "vitest";
import { COLUMNS, type Row } from "../src/features/pages/columns";
import { saidColumns, shownColumns } from "../src/features/report/ColumnChoice";
import { inOrder as ordered } from "../src/features/report/sorting";

const inOrder = (rows: Row[], sort: string) => ordered(rows, sort, COLUMNS);

const interval = (low: number, estimate: number, high: number) => ({ low, estimate, high });
const row = (page_id: number, more: Partial<Row>): Row =>
  ({
    kind: "page",
    page_id,
    entries: 0,
    bounce_rate: null,
    conversion_rate: null,
    roas: null,
    roas_interval: null,
    revenue: null,
    spend: "0",
    ...more,
  }) as Row;

describe("the order of pages", () => {
  it("goes by what the evidence supports, not by the raw rate", () => {
    const lucky = row(1, { conversion_rate: interval(0.001, 0.5, 0.99) });
    const solid = row(2, { conversion_rate: interval(0.05, 0.06, 0.07) });
    const poor = row(3, { conversion_rate: interval(0.005, 0.01, 0.015) });
    expect(inOrder([lucky, poor, solid], "-conversion_rate").map((r) => r.page_id)).toEqual([2, 3, 1]);
    expect(inOrder([lucky, poor, solid], "conversion_rate").map((r) => r.page_id)).toEqual([3, 2, 1]);
  });
  it("puts what has no value last, whichever way", () => {
    const rows = [row(1, {}), row(2, { conversion_rate: interval(0.1, 0.2, 0.3) })];
    for (const sort of ["conversion_rate", "-conversion_rate"])
      expect(inOrder(rows, sort).map((r) => r.page_id)).toEqual([2, 1]);
  });
  it("leaves rows as they are where the column is unknown, and never changes its input", () => {
    const rows = [row(1, { entries: 1 }), row(2, { entries: 2 })];
    expect(inOrder(rows, "-nonsense")).toEqual(rows);
    inOrder(rows, "-entries");
    expect(rows.map((r) => r.page_id)).toEqual([1, 2]);
  });
});

describe("which columns are shown", () => {
  const usual = COLUMNS.filter((c) => !c.optional).map((c) => c.key);
  it("the usual ones where none are named, else those that are, in their order", () => {
    expect(shownColumns(COLUMNS, undefined).map((c) => c.key)).toEqual(usual);
    expect(shownColumns(COLUMNS, "roas,entries,visitors").map((c) => c.key)).toEqual(["roas", "entries", "visitors"]);
    expect(shownColumns(COLUMNS, "roas,roas").map((c) => c.key)).toEqual(["roas"]);
  });
  it("says the same that it reads, and nothing of the usual ones", () => {
    const shown = shownColumns(COLUMNS, "spend,entries");
    expect(saidColumns(COLUMNS, shown)).toBe("spend,entries");
    expect(saidColumns(COLUMNS, shownColumns(COLUMNS, undefined))).toBeUndefined();
  });
  it("ignores names of columns that are not there", () => {
    expect(shownColumns(COLUMNS, "x,y").map((c) => c.key)).toEqual(usual);
  });
});

import { describe, expect, it } from "vitest";
import { listOrder, searched } from "../src/lib/list";

const ROWS = [
  { name: "Starter kit B", n: 3 },
  { name: "starter kit A", n: 20 },
  { name: "Honey", n: null },
];
const COLUMNS = [
  { key: "name", order: (r: (typeof ROWS)[number]) => r.name },
  { key: "n", order: (r: (typeof ROWS)[number]) => r.n },
];
const names = (rows: typeof ROWS) => rows.map((r) => r.name);

describe("a list", () => {
  it("is searched by every word, in whatever case and order", () => {
    expect(names(searched(ROWS, "KIT starter", (r) => r.name))).toEqual(["Starter kit B", "starter kit A"]);
    expect(searched(ROWS, "kit honey", (r) => r.name)).toEqual([]);
    expect(searched(ROWS, "  ", (r) => r.name)).toHaveLength(3);
  });
  it("is put in order by words and by numbers, what has no value last either way", () => {
    expect(names(listOrder(ROWS, "name", COLUMNS))).toEqual(["Honey", "starter kit A", "Starter kit B"]);
    expect(listOrder(ROWS, "-n", COLUMNS).map((r) => r.n)).toEqual([20, 3, null]);
    expect(listOrder(ROWS, "n", COLUMNS).map((r) => r.n)).toEqual([3, 20, null]);
  });
  it("stays as it comes without an order, or with one that no column has", () => {
    expect(listOrder(ROWS, undefined, COLUMNS)).toEqual(ROWS);
    expect(listOrder(ROWS, "-gone", COLUMNS)).toEqual(ROWS);
  });
});

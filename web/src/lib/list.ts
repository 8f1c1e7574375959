/** Lists: which rows have the words that are searched for, and the order that a column gives. */

export interface Orderable<Row> {
  key: string;
  /** By what rows are put in order; without a value they come last either way. */
  order?: (row: Row) => number | string | null | undefined;
}

/** Rows that have every word of `find`, in whatever case. */
export function searched<Row>(rows: readonly Row[], find: string, says: (row: Row) => string): Row[] {
  const words = find.toLowerCase().split(/\s+/).filter(Boolean);
  return rows.filter((row) => {
    const text = words.length ? says(row).toLowerCase() : "";
    return words.every((word) => text.includes(word));
  });
}

/** In order of a column, "-key" for the greatest first; as they come where there is no such column. */
export function listOrder<Row>(rows: Row[], order: string | undefined, columns: Orderable<Row>[]): Row[] {
  const down = order?.startsWith("-") ?? false;
  const of = columns.find((c) => c.key === order?.replace(/^-/, ""))?.order;
  if (!of) return rows;
  const value = new Map(rows.map((row) => [row, of(row) ?? null]));
  return [...rows].sort((a, b) => {
    const [x, y] = [value.get(a) ?? null, value.get(b) ?? null];
    if (x === null || y === null) return Number(x === null) - Number(y === null);
    const apart =
      typeof x === "number" && typeof y === "number"
        ? x - y
        : String(x).localeCompare(String(y), undefined, { numeric: true });
    return down ? -apart : apart;
  });
}

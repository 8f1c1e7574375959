/** Rows put in order by a column, and the heads that do it. "-entries": from the greatest down; "entries": upwards. */
import { cx } from "../../components/ui";
import type { Column, Frame, Measured } from "./columns";

/** What has no value comes last either way. */
export function inOrder<R extends Measured, S extends R>(rows: S[], sort: string, columns: Column<R>[]): S[] {
  const down = sort.startsWith("-");
  const column = columns.find((c) => c.key === sort.replace(/^-/, ""));
  if (!column) return rows;
  const value = new Map(rows.map((r) => [r, column.order(r, down)]));
  return [...rows].sort((a, b) => {
    const [x, y] = [value.get(a) ?? null, value.get(b) ?? null];
    if (x === null || y === null) return Number(x === null) - Number(y === null);
    return down ? y - x : x - y;
  });
}

/** A report's columns as the table takes them. */
export function sortable<R extends Measured>(
  columns: Column<R>[],
  frame: Frame<R>,
  sort: string,
  setSort: (sort: string) => void,
) {
  return columns.map((c) => {
    const by = sort.replace(/^-/, "") === c.key;
    const down = sort.startsWith("-");
    return {
      key: c.key,
      sized: c.name,
      sorted: by ? (down ? ("descending" as const) : ("ascending" as const)) : undefined,
      head: (
        <button
          type="button"
          className={cx("text-right hover:text-plum", by && "font-semibold text-ink")}
          onClick={() => setSort(by && down ? c.key : `-${c.key}`)}
        >
          {c.head(frame)}
          <span aria-hidden="true">{by ? (down ? " ↓" : " ↑") : ""}</span>
        </button>
      ),
      cell: (r: R) => c.cell(r, frame),
    };
  });
}

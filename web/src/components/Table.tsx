/** Every table of Clabo: columns say what they are, rows come as they are sorted. */
import { createColumnHelper, type RowData, tableFeatures, useTable } from "@tanstack/react-table";
import { type HTMLAttributes, type KeyboardEventHandler, type ReactNode, type Ref, useMemo } from "react";
import { Edge } from "./Edge";
import { Hint } from "./Hint";
import { cx } from "./ui";

export interface Column<Row> {
  key: string;
  head: ReactNode;
  cell: (row: Row) => ReactNode;
  /** Words stand to the left, numbers to the right. */
  text?: boolean;
  className?: string | ((row: Row) => string | undefined | false);
  headClass?: string;
  /** What the column leaves out or how it counts. */
  hint?: string;
  sorted?: "ascending" | "descending";
  /** What its head is called where it can be sized. */
  sized?: string;
}

/** How columns are sized: their widths in pixels by key, and what sets one. */
export interface Sizing {
  widths: ReadonlyMap<string, number>;
  set: (key: string, width: number | undefined) => void;
}

interface Props<Row> {
  columns: Column<Row>[];
  rows: readonly Row[];
  rowKey: (row: Row) => string | number;
  rowProps?: (row: Row) => HTMLAttributes<HTMLTableRowElement> & Record<`data-${string}`, unknown>;
  /** Rows below the others, such as a sum. */
  apart?: readonly Row[];
  dense?: boolean;
  caption?: string;
  className?: string;
  onKeyDown?: KeyboardEventHandler<HTMLTableElement>;
  ref?: Ref<HTMLTableElement>;
  /** Instead of column heads, where the row above the table says it. */
  bare?: boolean;
  sizing?: Sizing;
}

// Heads and cells are called, not rendered as components: a component made anew at each look would lose its focus.
const features = tableFeatures({});

export function Table<Row extends RowData>(props: Props<Row>) {
  const { columns, rows, apart, rowKey, rowProps, dense, caption, className, onKeyDown, ref, bare, sizing } = props;
  const data = useMemo(() => [...rows, ...(apart ?? [])], [rows, apart]);
  const made = useMemo(() => {
    const helper = createColumnHelper<typeof features, Row>();
    return columns.map((column) => helper.display({ id: column.key }));
  }, [columns]);
  const table = useTable({ features, columns: made, data, getRowId: (row) => String(rowKey(row)) });
  const as = new Map(columns.map((column) => [column.key, column]));
  const wide = (key: string) => {
    const width = sizing?.widths.get(key);
    return width === undefined ? undefined : { width, minWidth: width, maxWidth: width, overflow: "hidden" };
  };
  return (
    <table ref={ref} className={cx("bench", dense && "bench-dense", className)} onKeyDown={onKeyDown}>
      {caption && <caption className="sr-only">{caption}</caption>}
      {!bare && (
        <thead>
          {table.getHeaderGroups().map((group) => (
            <tr key={group.id}>
              {group.headers.map((header) => {
                const column = as.get(header.column.id);
                return (
                  <th
                    key={header.id}
                    aria-sort={column?.sorted}
                    className={cx(column?.text && "text", column?.headClass) || undefined}
                    style={wide(header.column.id)}
                  >
                    {column?.hint ? <Hint says={column.hint}>{column.head}</Hint> : column?.head}
                    {sizing && column?.sized && (
                      <Edge
                        of={column.sized}
                        width={sizing.widths.get(column.key)}
                        set={(width) => sizing.set(column.key, width)}
                      />
                    )}
                  </th>
                );
              })}
            </tr>
          ))}
        </thead>
      )}
      <tbody>
        {table.getRowModel().rows.map((row) => (
          <tr key={row.id} {...rowProps?.(row.original)}>
            {row.getAllCells().map((cell) => {
              const column = as.get(cell.column.id);
              const own = typeof column?.className === "function" ? column.className(row.original) : column?.className;
              return (
                <td key={cell.id} className={cx(column?.text && "text", own) || undefined} style={wide(cell.column.id)}>
                  {column?.cell(row.original)}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

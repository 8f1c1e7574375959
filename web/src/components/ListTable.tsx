/** A list of things: searched by its words, put in order by its columns' heads. Both stand in the address. */
import { useNavigate, useSearch } from "@tanstack/react-router";
import type { RowData } from "@tanstack/react-table";
import { listOrder, type Orderable, searched } from "../lib/list";
import { Hint } from "./Hint";
import { Scroll } from "./Scroll";
import { type Column, Table } from "./Table";
import { cx, Input } from "./ui";

export interface ListColumn<Row extends RowData> extends Column<Row>, Orderable<Row> {}

interface Props<Row extends RowData> {
  /** What the rows are, in the plural: "audiences". */
  of: string;
  rows: readonly Row[];
  columns: ListColumn<Row>[];
  rowKey: (row: Row) => string | number;
  /** All that may be searched for of a row. */
  says: (row: Row) => string;
  className?: string;
}

export function ListTable<Row extends RowData>({ of, rows, columns, rowKey, says, className }: Props<Row>) {
  const { find = "", order } = useSearch({ strict: false }) as { find?: string; order?: string };
  const navigate = useNavigate();
  const set = (part: { find?: string; order?: string }) =>
    navigate({ to: ".", search: (now: Record<string, unknown>) => ({ ...now, ...part }), replace: true });
  const found = listOrder(searched(rows, find, says), order, columns);
  const down = order?.startsWith("-");
  const by = order?.replace(/^-/, "");
  return (
    <div className={className}>
      {rows.length > 1 && (
        <Input
          type="search"
          aria-label={`Search the ${of}`}
          placeholder={`Search the ${of}`}
          className="mb-2 max-w-72"
          value={find}
          onChange={(e) => set({ find: e.target.value || undefined })}
        />
      )}
      {found.length ? (
        <Scroll label={`Table of ${of}`}>
          <Table
            caption={`Table of ${of}`}
            rows={found}
            rowKey={rowKey}
            columns={columns.map((c) =>
              c.order
                ? {
                    ...c,
                    sorted: c.key === by ? (down ? "descending" : "ascending") : undefined,
                    hint: undefined,
                    head: (
                      <span className="inline-flex items-baseline gap-1.5">
                        <button
                          type="button"
                          className={cx(
                            "hover:text-plum",
                            c.text ? "text-left" : "text-right",
                            c.key === by && "text-ink",
                          )}
                          // Words from A on, numbers from the greatest down; then the other way; then as the list comes.
                          onClick={() => set({ order: next(c, order) })}
                        >
                          {c.head}
                          <span aria-hidden="true">{c.key === by ? (down ? " ↓" : " ↑") : ""}</span>
                        </button>
                        {c.hint && (
                          <Hint says={c.hint}>
                            ?<span className="sr-only"> What it counts</span>
                          </Hint>
                        )}
                      </span>
                    ),
                  }
                : c,
            )}
          />
        </Scroll>
      ) : (
        <p className="py-4 text-quiet">None of the {of} has these words.</p>
      )}
    </div>
  );
}

function next<Row extends RowData>(column: ListColumn<Row>, order: string | undefined) {
  const first = column.text ? column.key : `-${column.key}`;
  const second = column.text ? `-${column.key}` : column.key;
  return order === first ? second : order === second ? undefined : first;
}

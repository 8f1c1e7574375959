import { type KeyboardEvent, useEffect, useMemo, useRef } from "react";
import { Checkbox } from "../../components/Checkbox";
import { PageName } from "../../components/PageName";
import { Scroll } from "../../components/Scroll";
import { type Sizing, Table } from "../../components/Table";
import { cx } from "../../components/ui";
import { useKeys } from "../../lib/keys";
import { inOrder, sortable } from "../report/sorting";
import { type AnyRow, COLUMNS, type Column, type Frame, isPage } from "./columns";

interface Props {
  rows: AnyRow[];
  frame: Frame;
  shown: Column[];
  narrow: boolean;
  sort: string;
  setSort: (sort: string) => void;
  open?: number;
  setOpen: (page: number) => void;
  ticked: number[];
  tick: (page: number) => void;
  sizing?: Sizing;
}

/** Rows of no page, so that the column adds up to what the conversions say. */
const APART: Partial<Record<AnyRow["kind"], { name: string; why: string }>> = {
  further: { name: "All further pages", why: "The table names the first 500 pages; these are the others together." },
  no_visit: {
    name: "No visit known",
    why: "Conversions to which no visit with a view leads in the attribution window, for example a sale that a partner’s server reported long after.",
  },
};

const KEYS = [["↑ ↓", "previous and next page, beside an open detail"]] as const;

export function PageTable({ rows, frame, shown, narrow, sort, setSort, open, setOpen, ticked, tick, sizing }: Props) {
  useKeys(KEYS);
  const columns = narrow ? COLUMNS.filter((c) => c.narrow) : shown;
  const sorted = useMemo(() => inOrder(rows.filter(isPage), sort, [...COLUMNS, ...shown]), [rows, sort, shown]);
  const apart = rows.filter((r) => !isPage(r));
  const table = useRef<HTMLTableElement>(null);
  useEffect(() => {
    if (open) table.current?.querySelector(`[data-page="${open}"]`)?.scrollIntoView({ block: "nearest" });
  }, [open]);
  const keys = (event: KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!step) return;
    const at = sorted.findIndex((r) => r.page_id === open);
    const next = sorted[at < 0 ? 0 : at + step];
    if (!next) return;
    event.preventDefault();
    setOpen(next.page_id);
    table.current?.querySelector<HTMLElement>(`[data-page="${next.page_id}"] button`)?.focus();
  };

  return (
    <Scroll label="Table of landing pages" className="max-h-[calc(100vh-1rem)]">
      <Table<AnyRow>
        ref={table}
        dense
        caption="Landing pages"
        sizing={narrow ? undefined : sizing}
        onKeyDown={keys}
        rows={sorted}
        apart={apart}
        rowKey={(r) => (isPage(r) ? r.page_id : r.kind)}
        rowProps={(r) =>
          isPage(r)
            ? {
                "data-page": r.page_id,
                className: cx(
                  (r.page_id === open || ticked.includes(r.page_id)) && "bg-plum-wash",
                  r.thin && "text-quiet",
                ),
              }
            : {}
        }
        columns={[
          {
            key: "compare",
            head: <span className="sr-only">Compare</span>,
            text: true,
            headClass: "w-7",
            cell: (r) =>
              isPage(r) && (
                <Checkbox
                  label={`Compare ${r.path}`}
                  bare
                  checked={ticked.includes(r.page_id)}
                  set={() => tick(r.page_id)}
                />
              ),
          },
          {
            key: "page",
            sized: "Landing page",
            head: "Landing page",
            text: true,
            className: narrow ? "max-w-[10.5rem]" : "max-w-[13.5rem]",
            cell: (r) =>
              isPage(r) ? (
                <button
                  type="button"
                  className="block w-full hover:underline"
                  onClick={() => setOpen(r.page_id)}
                  aria-expanded={r.page_id === open}
                >
                  <PageName path={r.path} title={r.title} />
                </button>
              ) : (
                <span title={APART[r.kind]?.why}>
                  {APART[r.kind]?.name}
                  <span className="sr-only">. {APART[r.kind]?.why}</span>
                </span>
              ),
          },
          ...sortable(columns, frame, sort, setSort),
        ]}
      />
    </Scroll>
  );
}

/** Sources as rows, each opened to what it is made of. */
import { ChevronDown, ChevronRight, Ellipsis } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { Schemas } from "../../api/client";
import { PageName } from "../../components/PageName";
import { Scroll } from "../../components/Scroll";
import { useSimulated } from "../../components/Simulated";
import { type Sizing, Table } from "../../components/Table";
import { CHANNELS } from "../../lib/lens";
import { useSiteId } from "../../lib/useSiteId";
import { type Column, type Frame, measuredColumns } from "../report/columns";
import { inOrder, sortable } from "../report/sorting";
import { BY, DIMENSIONS } from "./search";

type SourceRow = Schemas["SourceRowOut"];
/** A row with where it stands: what it is broken down by, and the values of all rows around it and its own. */
export type TreeRow = SourceRow & { by: string; path: string[]; depth: number; was?: TreeRow };

export const COLUMNS = measuredColumns<TreeRow>() as Column<TreeRow>[];
const APART = {
  further: "All further rows",
  no_visit: "No visit known",
  total: "All together",
};
const WAYS = ["page", "device", "returning", "referrer", "hour"];

interface Props {
  rows: TreeRow[];
  total: TreeRow;
  childrenOf: (row: TreeRow) => { rows: TreeRow[]; loading: boolean } | undefined;
  frame: Frame<TreeRow>;
  columns: Column<TreeRow>[];
  sort: string;
  setSort: (sort: string) => void;
  /** Where rows can be opened. */
  toggle?: (row: TreeRow) => void;
  look: (row: TreeRow, by: string) => void;
  sizing?: Sizing;
}

export function SourceTable({ rows, total, childrenOf, frame, columns, sort, setSort, toggle, look, sizing }: Props) {
  const values = (some: TreeRow[]) =>
    inOrder(
      some.filter((r) => r.kind === "value"),
      sort,
      [...COLUMNS, ...columns],
    );
  const flat = (some: TreeRow[]): TreeRow[] =>
    [...values(some), ...some.filter((r) => r.kind !== "value")].flatMap((row) => [
      row,
      ...flat(row.kind === "value" ? (childrenOf(row)?.rows ?? []) : []),
    ]);
  return (
    <Scroll label="Table of sources" className="max-h-[calc(100vh-1rem)]">
      <Table<TreeRow>
        dense
        caption="Sources"
        sizing={sizing}
        rows={flat(rows)}
        apart={[total]}
        rowKey={(r) => `${r.kind} ${r.path.join(" ")} ${r.by}`}
        rowProps={(r) => ({ className: r.kind === "total" ? "font-semibold" : r.thin ? "text-quiet" : undefined })}
        columns={[
          {
            key: "name",
            sized: "Where from",
            head: toggle
              ? "Where from"
              : (DIMENSIONS[rows[0]?.by ?? ""] ?? "Value").replace(/^./, (c) => c.toUpperCase()),
            text: true,
            className: "max-w-[19rem]",
            cell: (r) => <Name row={r} below={childrenOf(r)} toggle={toggle} look={look} />,
          },
          ...sortable(columns, frame, sort, setSort),
        ]}
      />
    </Scroll>
  );
}

interface NameProps {
  row: TreeRow;
  below: { rows: TreeRow[]; loading: boolean } | undefined;
  toggle?: (row: TreeRow) => void;
  look: (row: TreeRow, by: string) => void;
}

function Name({ row, below, toggle, look }: NameProps) {
  if (row.kind !== "value")
    return <span style={{ paddingInlineStart: row.depth * 18 + (toggle ? 20 : 0) }}>{APART[row.kind]}</span>;
  const said = nameOf(row);
  const ends = below && !below.loading && !below.rows.some((r) => r.value);
  return (
    <span className="flex items-center gap-1" style={{ paddingInlineStart: row.depth * 18 }}>
      {toggle ? (
        <button
          type="button"
          className="flex min-w-0 flex-1 items-center gap-1 text-left hover:text-plum"
          aria-expanded={Boolean(below)}
          onClick={() => toggle(row)}
        >
          {below ? (
            <ChevronDown size={16} aria-hidden="true" className="shrink-0" />
          ) : (
            <ChevronRight size={16} aria-hidden="true" className="shrink-0" />
          )}
          <Said row={row} said={said} />
          {below?.loading && <span className="text-small text-quiet"> reading …</span>}
          {ends && <span className="text-small text-quiet"> · the links say no more</span>}
        </button>
      ) : (
        <span className="min-w-0 flex-1">
          <Said row={row} said={said} />
        </span>
      )}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          aria-label={`Look only at ${said}`}
          className="rounded-box p-0.5 text-quiet hover:text-plum"
        >
          <Ellipsis size={16} aria-hidden="true" />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="start"
            className="z-30 rounded-box border bg-surface py-1 text-ink"
            aria-label={`Look only at ${said}`}
          >
            <DropdownMenu.Label className="px-3 py-1 text-small text-quiet">
              Only <bdi>{said}</bdi>, broken down
            </DropdownMenu.Label>
            {WAYS.filter((way) => way !== row.by).map((way) => (
              <DropdownMenu.Item
                key={way}
                onSelect={() => look(row, way)}
                className="cursor-pointer px-3 py-1 outline-none data-[highlighted]:bg-plum-wash"
              >
                by {BY[way]}
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </span>
  );
}

function Said({ row, said }: { row: TreeRow; said: string }) {
  const simulated = useSimulated(useSiteId());
  if (row.by === "page") return <PageName path={said.slice(said.indexOf("/"))} title={row.title} />;
  return (
    <span className="min-w-0 truncate" title={said}>
      <bdi>{said}</bdi>
      {row.depth > 0 && <span className="text-small text-quiet"> {DIMENSIONS[row.by]}</span>}
      {row.by === "source" && simulated.includes(row.value.toLowerCase()) && (
        <span className="text-small text-quiet">, a simulation</span>
      )}
    </span>
  );
}

function nameOf(row: TreeRow) {
  if (row.by === "channel") return CHANNELS[row.value as keyof typeof CHANNELS] ?? row.value;
  if (row.by === "returning") return row.value === "new" ? "first visits" : "later visits";
  if (row.by === "referrer") return row.name || "none";
  return row.name || `no ${DIMENSIONS[row.by] ?? row.by} said`;
}

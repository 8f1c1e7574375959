/** The columns of the landing page table: what every report has, and what only pages have. */
import type { Schemas } from "../../api/client";
import { count } from "../../lib/format";
import {
  type Column as AnyColumn,
  bound,
  measuredColumns,
  plainColumn,
  Rate,
  type Frame as ReportFrame,
  Scaled,
  Two,
} from "../report/columns";

/** A row of the report; "further" and "no_visit" rows stand for no page. */
export type AnyRow = Schemas["PageRowOut"];
export type Row = AnyRow & { page_id: number };
export const isPage = (row: AnyRow): row is Row => row.kind === "page" && row.page_id != null;
export type Frame = ReportFrame<AnyRow>;
export type Column = AnyColumn<AnyRow>;

const after = (key: string, more: Column[], columns: Column[]) =>
  columns.flatMap((c) => (c.key === key ? [c, ...more] : [c]));

const VIEWS: Column[] = [
  plainColumn(
    "views",
    "Views of the page",
    () => <Two of="Views of" and="the page" />,
    (r) => count(r.views),
    (r) => r.views,
    {},
  ),
];

const LEFT_AND_SEEN: Column[] = [
  {
    key: "exit_rate",
    name: "Exit rate",
    optional: true,
    head: () => <Scaled of="Exit rate" to="100 %" />,
    cell: (r, f) => (
      <Rate
        rate={r.exit_rate}
        was={f.was(r)?.exit_rate}
        end={1}
        of={`${count(r.exits)} of ${count(r.views)} views were a visit’s last`}
        width={f.bars ?? 46}
      />
    ),
    order: (r, down) => bound(r.exit_rate, down),
  },
  plainColumn(
    "visitors",
    "Visitors",
    () => "Visitors",
    (r) => count(r.visitors),
    (r) => r.visitors,
  ),
  plainColumn(
    "new_visitors",
    "New visitors",
    () => <Two of="New" and="visitors" />,
    (r) => count(r.new_visitors),
    (r) => r.new_visitors,
  ),
  plainColumn(
    "views_per_visitor",
    "Views per visitor",
    () => <Two of="Views per" and="visitor" />,
    (r) => r.views_per_visitor?.toFixed(2) ?? "–",
    (r) => r.views_per_visitor,
  ),
];

export const COLUMNS = after("entries", VIEWS, after("bounce_rate", LEFT_AND_SEEN, measuredColumns<AnyRow>()));

/** Columns that need distinct visitors to be counted. */
export const DISTINCT = ["visitors", "new_visitors", "views_per_visitor"];

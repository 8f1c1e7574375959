/** What is told of landing pages that stand beside each other. */
import type { ReactNode } from "react";
import { SpreadBar } from "../../charts/SpreadBar";
import { scaleEnd } from "../../charts/scale";
import { Table } from "../../components/Table";
import { count, money, percent, times } from "../../lib/format";
import { Thumb } from "../pictures/Thumb";
import type { AnyRow as Row } from "./columns";

export const pageName = (row: Row | undefined) => (
  <bdi className="num text-[0.9em] font-semibold [overflow-wrap:anywhere]">{row?.path}</bdi>
);

type Line = [string, (r: Row) => ReactNode];

interface Props {
  siteId: number;
  rows: Row[];
  currency: string;
}

export function SideBySide({ siteId, rows, currency }: Props) {
  const end = scaleEnd(rows.map((r) => r.conversion_rate?.high));
  const lines: Line[] = [
    [
      "As it looks",
      (r) =>
        r.page_id != null && <Thumb siteId={siteId} pageId={r.page_id} className="rounded-box border border-line" />,
    ],
    ["Entries", (r) => count(r.entries)],
    ["Bounce rate", (r) => percent(r.bounce_rate?.estimate, 1)],
    ["Converted visits", (r) => count(r.converted)],
    ["Conversion rate", (r) => percent(r.conversion_rate?.estimate)],
    [
      `on 0 – ${percent(end, end < 0.02 ? 1 : 0)}`,
      (r) => (
        <SpreadBar
          low={r.conversion_rate?.low}
          estimate={r.conversion_rate?.estimate}
          high={r.conversion_rate?.high}
          scale={end}
          thin={r.thin}
          width={rows.length > 2 ? 70 : 100}
          label={`between ${percent(r.conversion_rate?.low)} and ${percent(r.conversion_rate?.high)}`}
        />
      ),
    ],
    ["Revenue", (r) => money(r.revenue, currency, 0)],
    ["Spend", (r) => (Number(r.spend) ? money(r.spend, currency, 0) : "–")],
    ["Cost per conversion", (r) => money(r.cost_per_conversion, currency)],
    ["Return on ad spend", (r) => times(r.roas)],
  ];
  return (
    <Table
      dense
      className="table-fixed"
      rows={lines}
      rowKey={([text]) => text}
      columns={[
        { key: "measure", head: <span className="sr-only">Measure</span>, text: true, cell: ([text]) => text },
        ...rows.map((r, place) => ({
          key: `page-${place}`,
          head: pageName(r),
          headClass: "text-fine whitespace-normal!",
          className: "num",
          cell: ([, cell]: Line) => cell(r),
        })),
      ]}
    />
  );
}

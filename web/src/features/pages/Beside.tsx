/** Three or four landing pages beside each other, each of the others against the first. */
import { useQuery } from "@tanstack/react-query";
import { SpreadBar, scaleEnd } from "../../charts/SpreadBar";
import { Table } from "../../components/Table";
import { Failed, Loading } from "../../components/ui";
import { count, money, per100, percent, plural, pValue, signed, times } from "../../lib/format";
import type { Lens } from "../../lib/lens";
import type { Frame, AnyRow as Row } from "./columns";
import { besideQuery } from "./queries";

const name = (row: Row | undefined) => (
  <bdi className="num text-[0.9em] font-semibold [overflow-wrap:anywhere]">{row?.path}</bdi>
);

export function Beside({ siteId, lens, pages, frame }: { siteId: number; lens: Lens; pages: number[]; frame: Frame }) {
  const found = useQuery(besideQuery(siteId, lens, pages));
  if (found.isPending) return <Loading what="the pages" />;
  if (found.isError) return <Failed error={found.error} retry={found.refetch} />;
  const { rows, against } = found.data;
  const [first, ...others] = rows;
  const many = plural(frame.read.conversion?.category);
  const { currency } = frame.read;
  const end = scaleEnd(rows.map((r) => r.conversion_rate?.high));
  const lines: [string, (r: Row) => React.ReactNode][] = [
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
          max={end}
          thin={r.thin}
          width={70}
          label={`between ${percent(r.conversion_rate?.low)} and ${percent(r.conversion_rate?.high)}`}
        />
      ),
    ],
    ["Spend", (r) => (Number(r.spend) ? money(r.spend, currency, 0) : "–")],
    ["Return on ad spend", (r) => times(r.roas)],
  ];
  return (
    <>
      <ul className="mb-3 flex flex-col gap-1">
        {against.map((a, place) => {
          const d = a.difference;
          const known = d?.low != null && d.high != null ? { low: d.low, high: d.high } : null;
          return (
            <li key={a.page_id}>
              {name(others[place])}{" "}
              {!known ? (
                "cannot be compared under this lens."
              ) : known.low > 0 || known.high < 0 ? (
                <>
                  <strong className={known.low > 0 ? "text-fern" : "text-brick"}>
                    brings {per100(Math.min(Math.abs(known.low), Math.abs(known.high)))} to{" "}
                    {per100(Math.max(Math.abs(known.low), Math.abs(known.high)))} {known.low > 0 ? "more" : "fewer"}{" "}
                    {many} per 100 visits
                  </strong>{" "}
                  than {name(first)} (p {pValue(a.p_value)}).
                </>
              ) : (
                <>
                  <strong>is not told apart</strong> from {name(first)}: {signed(known.low * 100)} to{" "}
                  {signed(known.high * 100)} per 100 visits (p {pValue(a.p_value)}).
                </>
              )}
              {a.fair_difference?.low != null && a.fair_difference.high != null && (
                <span className="block text-small text-quiet">
                  With the same mix of sources and devices {signed(a.fair_difference.low * 100)} to{" "}
                  {signed(a.fair_difference.high * 100)}
                  {a.reversed && <strong className="text-marigold">, the other way about: the traffic makes it</strong>}
                  .
                </span>
              )}
            </li>
          );
        })}
      </ul>
      <Table
        dense
        className="table-fixed"
        rows={lines}
        rowKey={([text]) => text}
        columns={[
          { key: "measure", head: <span className="sr-only">Measure</span>, text: true, cell: ([text]) => text },
          ...rows.map((r, place) => ({
            key: `page-${place}`,
            head: name(r),
            headClass: "text-fine whitespace-normal!",
            className: "num",
            cell: ([, cell]: (typeof lines)[number]) => cell(r),
          })),
        ]}
      />
      <p className="mt-3 text-small text-quiet">
        Ranges hold together at 95 %, p-values are adjusted for {against.length} comparisons (Holm). Nobody drew lots
        for who lands where: a split test settles it.
      </p>
    </>
  );
}

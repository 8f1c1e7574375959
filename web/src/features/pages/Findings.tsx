/** What stands out, in sentences. The server has found it; here it is worded. */
import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { count, money, percent, plural } from "../../lib/format";
import { isPage, type Row } from "./columns";

type Report = Schemas["PagesOut"];
type Finding = Report["findings"][number];

export function Findings({ report, open }: { report: Report; open: (page: number) => void }) {
  const rows = new Map(report.rows.filter(isPage).map((r) => [r.page_id, r]));
  const said = report.findings.flatMap((f) => {
    const row = rows.get(f.page_id);
    return row ? [{ f, row }] : [];
  });
  if (report.lens.audience)
    return (
      <p className="border-b py-3 text-lead leading-relaxed">
        Only visits of people who are in <bdi>{report.lens.audience.name}</bdi> now. They are in it for what they did,
        so what they did judges no page: compare pages among everybody.
      </p>
    );
  if (!said.length && !report.thin) return null;
  return (
    <p className="border-b py-3 text-lead leading-relaxed">
      {said.map(({ f, row }) => (
        <span key={f.kind}>
          <Said
            finding={f}
            row={row}
            together={report.together}
            category={report.lens.conversion?.category}
            currency={report.lens.currency}
            hasMargin={(report.lens.break_even_roas ?? 1) > 1}
            page={
              <button
                type="button"
                className="num text-body font-semibold underline decoration-line underline-offset-4"
                onClick={() => open(row.page_id)}
              >
                <bdi>{row.path}</bdi>
              </button>
            }
          />{" "}
        </span>
      ))}
      {!said.length && "No page stands out beyond doubt. "}
      {report.thin > 0 && (
        <>
          {count(report.thin)} page{report.thin === 1 ? " is" : "s are"} too thin to judge (under 5{" "}
          {plural(report.lens.conversion?.category)}
          ).
        </>
      )}
    </p>
  );
}

interface SaidProps {
  finding: Pick<Finding, "kind" | "profit" | "lost">;
  row: Pick<Row, "spend" | "revenue" | "conversion_rate">;
  /** All pages' rate together, and what is counted in which money. */
  together: number | null;
  category: string | undefined;
  currency: string;
  hasMargin: boolean;
  /** The page's name, as a link. */
  page: ReactNode;
  /** With which pages it is compared, where that is not all of them. */
  alike?: string;
}

export function Said({ finding, row, together, category, currency, hasMargin, page, alike }: SaidProps) {
  if (finding.kind === "loses_money")
    return (
      <>
        {page} <strong className="text-brick">loses money</strong>: {money(row.spend, currency, 0)} spent brought{" "}
        {money(row.revenue, currency, 0)}.
      </>
    );
  if (finding.kind === "earns")
    return (
      <>
        {page} <strong className="text-fern">earns most</strong>: {money(finding.profit, currency, 0)}
        {hasMargin && " of margin"} left after {money(row.spend, currency, 0)} of ads.
      </>
    );
  return (
    <>
      {page} <strong className="text-brick">converts badly</strong>: {percent(row.conversion_rate?.estimate)} of its
      visits, {alike ?? "all pages together"} {percent(together)}; about {count(Math.round(finding.lost))}{" "}
      {plural(category)} lost.
    </>
  );
}

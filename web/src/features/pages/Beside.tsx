/** Three or four landing pages beside each other, each of the others against the first. */
import { useQuery } from "@tanstack/react-query";
import { Failed, Loading } from "../../components/ui";
import { per100, plural, pValue, signed } from "../../lib/format";
import type { Lens } from "../../lib/lens";
import type { Frame } from "./columns";
import { besideQuery } from "./queries";
import { pageName, SideBySide } from "./SideBySide";

export function Beside({ siteId, lens, pages, frame }: { siteId: number; lens: Lens; pages: number[]; frame: Frame }) {
  const found = useQuery(besideQuery(siteId, lens, pages));
  if (found.isPending) return <Loading what="the pages" />;
  if (found.isError) return <Failed error={found.error} retry={found.refetch} />;
  const { rows, against } = found.data;
  const [first, ...others] = rows;
  const many = plural(frame.read.conversion?.category);
  return (
    <>
      <ul className="mb-3 flex flex-col gap-1">
        {against.map((a, place) => {
          const d = a.difference;
          const known = d?.low != null && d.high != null ? { low: d.low, high: d.high } : null;
          return (
            <li key={a.page_id}>
              {pageName(others[place])}{" "}
              {!known ? (
                "cannot be compared under this lens."
              ) : known.low > 0 || known.high < 0 ? (
                <>
                  <strong className={known.low > 0 ? "text-fern" : "text-brick"}>
                    brings {per100(Math.min(Math.abs(known.low), Math.abs(known.high)))} to{" "}
                    {per100(Math.max(Math.abs(known.low), Math.abs(known.high)))} {known.low > 0 ? "more" : "fewer"}{" "}
                    {many} per 100 visits
                  </strong>{" "}
                  than {pageName(first)} (p {pValue(a.p_value)}).
                </>
              ) : (
                <>
                  <strong>does not differ clearly</strong> from {pageName(first)}: {signed(known.low * 100)} to{" "}
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
      <SideBySide siteId={siteId} rows={rows} currency={frame.read.currency} />
      <p className="mt-3 text-small text-quiet">
        Ranges hold together at 95 %, p-values are adjusted for {against.length} comparisons (Holm). Nobody drew lots
        for who lands where: a split test settles it.
      </p>
    </>
  );
}

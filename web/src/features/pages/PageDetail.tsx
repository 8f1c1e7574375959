import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import { SpreadBar } from "../../charts/SpreadBar";
import { count, money, percent, plural, times } from "../../lib/format";
import { readWaysSearch } from "../paths/ways";
import type { Frame, Row } from "./columns";
import { Goal } from "./Goal";

/** Everything known of one landing page, each number with what it is made of. */
export function PageDetail({ siteId, row, frame }: { siteId: number; row: Row; frame: Frame }) {
  const { currency, conversion } = frame.read;
  const many = plural(conversion?.category);
  const before = frame.was(row);
  const [rate, bounce, roas] = [row.conversion_rate, row.bounce_rate, row.roas_interval];
  return (
    <>
      <bdi className="-mt-2 mb-3 block break-words text-quiet">{row.title}</bdi>
      {row.intended_exit && (
        <p className="mb-3 border-l-4 border-line pl-3">A conversion happens on this page: it is meant to be left.</p>
      )}
      {row.lost >= 1 && (
        <p className="mb-3 border-l-4 border-brick pl-3">
          About {count(Math.round(row.lost))} {many} fewer than the site’s typical page would have brought.
        </p>
      )}
      <p className="mb-3">
        <Link
          to="/s/$siteId/ways"
          params={{ siteId: String(siteId) }}
          search={(now) => ({ ...readWaysSearch(now), page: row.page_id, at: undefined })}
          className="text-plum underline"
        >
          What comes before and after it
        </Link>
      </p>
      <Goal siteId={siteId} pageId={row.page_id} conversions={frame.read.conversions} />
      <dl>
        <Fact
          name="Entries"
          is={count(row.entries)}
          more="visits whose first view was here"
          was={before && count(before.entries)}
        />
        <Fact name="Views of the page" is={count(row.views)} more="in any visit" was={before && count(before.views)} />
        <Fact
          name="Views in visits that began here"
          is={count(row.begun_views)}
          more={`on any page, ${row.entries ? (row.begun_views / row.entries).toFixed(1) : "–"} a visit`}
          was={before && count(before.begun_views)}
        />
        <Fact
          name="Bounce rate"
          is={percent(bounce?.estimate, 1)}
          more={`${count(row.bounces)} of ${count(row.entries)} entries; between ${percent(bounce?.low, 1)} and ${percent(bounce?.high, 1)}`}
          was={before && percent(before.bounce_rate?.estimate, 1)}
        />
        <Fact
          name="Exit rate"
          is={percent(row.exit_rate?.estimate, 1)}
          more={`${count(row.exits)} of ${count(row.views)} views were the visit’s last; between ${percent(row.exit_rate?.low, 1)} and ${percent(row.exit_rate?.high, 1)}`}
          was={before && percent(before.exit_rate?.estimate, 1)}
        />
        {row.visitors != null && (
          <Fact
            name="Visitors"
            is={count(row.visitors)}
            more={`distinct, with a view of the page; ${count(row.new_visitors)} of them had never been here before; ${row.views_per_visitor?.toFixed(2) ?? "–"} views each`}
            was={before && count(before.visitors)}
          />
        )}
        <Fact
          name="Conversion rate"
          is={percent(rate?.estimate)}
          more={
            <>
              {count(row.converted)} of {count(row.entries)} entries; between {percent(rate?.low)} and{" "}
              {percent(rate?.high)}
              {row.thin && ". Thin: under 5."}
              <span className="block">
                {rate && (
                  <SpreadBar
                    {...rate}
                    scale={frame.rateEnd}
                    thin={row.thin}
                    width={240}
                    label="Conversion rate with its interval"
                  />
                )}
              </span>
            </>
          }
          was={before && percent(before.conversion_rate?.estimate)}
        />
        <Fact
          name={`Credited ${many}`}
          is={count(Number(row.conversions))}
          was={before && count(Number(before.conversions))}
        />
        <Fact
          name="Revenue"
          is={money(row.revenue, currency)}
          more={
            row.lifetime_revenue == null
              ? "credited value"
              : `credited value; over a lifetime (× ${Number(frame.read.lifetime_factor)}) ${money(row.lifetime_revenue, currency)}`
          }
          was={before && money(before.revenue, currency)}
        />
        <Fact
          name="Spend"
          is={money(row.spend, currency)}
          more="of ads that lead here"
          was={before && money(before.spend, currency)}
        />
        {(row.clicks > 0 || row.impressions > 0) && (
          <Fact
            name="Clicks"
            is={count(row.clicks)}
            more={`of ${count(row.impressions)} impressions (CTR ${row.ctr == null ? "–" : percent(Number(row.ctr))}); ${money(row.cpc, currency)} a click, ${money(row.cpm, currency)} for 1,000 impressions`}
            was={before && count(before.clicks)}
          />
        )}
        {row.profit != null && (
          <Fact
            name="Profit"
            is={money(row.profit, currency, 0)}
            more={
              (frame.read.break_even_roas ?? 1) > 1
                ? `${percent(1 / (frame.read.break_even_roas ?? 1), 0)} margin of the revenue, less the spend`
                : "revenue less spend; no margin is set, so all of the revenue counts as earned"
            }
            was={before && money(before.profit, currency, 0)}
          />
        )}
        {row.aov != null && (
          <Fact
            name="Average value"
            is={money(row.aov, currency)}
            more={`revenue over the credited ${many} whose money is in it`}
          />
        )}
        <Fact
          name="Cost per conversion"
          is={money(row.cost_per_conversion, currency)}
          more={row.cost_per_conversion == null ? "no spend or no conversion" : "spend over credited conversions"}
          was={before && money(before.cost_per_conversion, currency)}
        />
        <Fact
          name="Return on ad spend"
          is={times(row.roas)}
          more={
            roas
              ? `between ${times(roas.low)} and ${times(roas.high)}; breaks even at ${times(frame.read.break_even_roas)}${
                  row.lifetime_roas == null ? "" : `; over a lifetime ${times(row.lifetime_roas)}`
                }`
              : row.roas == null
                ? Number(row.spend)
                  ? "what is counted has no value"
                  : "nothing was spent"
                : "too few days with spend for a range"
          }
          was={before && times(before.roas)}
        />
      </dl>
    </>
  );
}

function Fact({ name, is, more, was }: { name: string; is: ReactNode; more?: ReactNode; was?: ReactNode }) {
  return (
    <div className="grid grid-cols-[1fr_auto] gap-x-3 border-b py-1.5 last:border-b-0">
      <dt>{name}</dt>
      <dd className="num text-right font-semibold">{is}</dd>
      {(more || was) && (
        <dd className="col-span-2 flex justify-between gap-3 text-small text-quiet">
          <span>{more}</span>
          {was !== undefined && <span className="num shrink-0">was {was}</span>}
        </dd>
      )}
    </div>
  );
}

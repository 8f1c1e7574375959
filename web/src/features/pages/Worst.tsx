/** Worst first: exits, bounces, and what each page loses against what it is there for. */
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import type { Schemas } from "../../api/client";
import { scaleEnd } from "../../charts/scale";
import { Files } from "../../components/Files";
import { LensSentence } from "../../components/LensSentence";
import { PageName } from "../../components/PageName";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { cx, Empty, Failed, Loading } from "../../components/ui";
import { count, day, money, percent, several } from "../../lib/format";
import { type Lens, lensQuery } from "../../lib/lens";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { Rate, Scaled } from "../report/columns";
import { worstQuery } from "./queries";
import { ViewWord } from "./ViewWord";

type Row = Schemas["WorstRowOut"];

type Reason = Row["reasons"][number];

const seconds = (milliseconds: number | null | undefined) =>
  milliseconds == null ? "?" : `${(milliseconds / 1000).toFixed(1)}\u00a0s`;

const REASONS: Record<Reason["kind"], (r: Reason) => string> = {
  form_silent: (r) => `form on it that nobody has sent since ${day(r.since)}`,
  tag_stopped: (r) => `nothing has come from its tag since ${day(r.since)}`,
  dead_link: (r) => `link on it leads nowhere: ${r.what}, found on ${day(r.since)}`,
  slow: (r) =>
    `slow: one view in four waits ${seconds(r.waited?.estimate)} or longer for its largest part (at least ${seconds(r.waited?.low)}; ${count(r.measured)} measured)`,
};

export default function Worst() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const search = useSearch({ from: "/s/$siteId/worst" });
  const navigate = useNavigate({ from: "/s/$siteId/worst" });
  const change = (part: Partial<Lens>) => navigate({ search: (now) => ({ ...now, ...part }) });
  const found = useQuery(worstQuery(siteId, search));
  if (found.isPending) return <Loading what="the worst pages" />;
  if (!found.data) return <Failed error={found.error} retry={found.refetch} />;
  const { lens, rows } = found.data;
  const judged = rows.filter((r) => r.goal);
  const certain = judged.filter((r) => r.certain);
  const rateEnd = Math.min(1, scaleEnd(judged.map((r) => (r.thin ? r.typical : r.conversion_rate?.high))));
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-3 border-b-2 border-ink pb-3">
        <div className="max-w-[52rem]">
          <LensSentence read={lens} site={site.name} lens={search} change={change} to="worst" />
          <ViewWord siteId={siteId} view="worst" search={search} />
        </div>
        <Files path={`/api/sites/${siteId}/pages/worst`} query={lensQuery(search)} />
      </div>
      {rows.length === 0 ? (
        <div className="mt-5">
          <Empty title="No visit fits this sentence.">
            <p>Take a longer period, or any source and device.</p>
          </Empty>
        </div>
      ) : (
        <>
          <p className="py-3 text-lead">
            {certain[0] ? (
              <>
                <bdi className="num font-semibold">{certain[0].path}</bdi>{" "}
                <strong className="text-brick">loses most</strong>: about{" "}
                {count(Math.round(certain[0].lost?.estimate ?? 0))} {several(certain[0].goal ?? "")} fewer than a
                typical page with that goal would have brought
                {certain[0].worth != null && `, worth ${money(certain[0].worth, lens.currency, 0)}`}.
              </>
            ) : (
              <strong>No page is worse than its like beyond chance.</strong>
            )}{" "}
            <span className="text-small text-quiet">
              Each page is judged by its own goal, beside pages with the same; those that are meant to be left are not
              here.
            </span>
          </p>
          <Scroll label="Table of the worst pages" className="max-h-[calc(100vh-1rem)]">
            <Table<Row>
              dense
              caption="Worst pages"
              rows={rows}
              rowKey={(r) => r.page_id}
              rowProps={(r) => ({ className: cx((r.thin || !r.goal) && "text-quiet") })}
              columns={[
                {
                  key: "page",
                  head: "Landing page",
                  text: true,
                  className: "max-w-[13.5rem]",
                  cell: (r) => (
                    <Link
                      to="/s/$siteId/pages"
                      params={{ siteId: String(siteId) }}
                      search={{ ...lensQuery(search), open: r.page_id }}
                      className="block hover:underline"
                    >
                      <PageName path={r.path} title={r.title} />
                    </Link>
                  ),
                },
                {
                  key: "goal",
                  head: "Its goal",
                  text: true,
                  cell: (r) => (r.goal ? several(r.goal) : "not known"),
                },
                { key: "entries", head: "Entries", cell: (r) => <span className="num">{count(r.entries)}</span> },
                {
                  key: "bounces",
                  head: <Scaled of="Bounce rate" to="100 %" />,
                  cell: (r) => (
                    <Rate
                      rate={r.bounce_rate}
                      end={1}
                      of={`${count(r.bounces)} of ${count(r.entries)} entries`}
                      width={46}
                    />
                  ),
                },
                {
                  key: "exits",
                  head: <Scaled of="Exit rate" to="100 %" />,
                  cell: (r) => (
                    <Rate
                      rate={r.exit_rate}
                      end={1}
                      of={`${count(r.exits)} of ${count(r.views)} views were a visit’s last`}
                      width={46}
                    />
                  ),
                },
                {
                  key: "rate",
                  head: <Scaled of="Rate of its goal" to={percent(rateEnd, rateEnd < 0.01 ? 1 : 0)} />,
                  hint: "The hollow mark is the typical page with that goal.",
                  cell: (r) => (
                    <Rate
                      rate={r.conversion_rate}
                      typical={r.typical}
                      end={rateEnd}
                      of={`${count(r.converted)} of ${count(r.entries)} entries; typical is ${percent(r.typical)}`}
                      width={84}
                      thin={r.thin}
                    />
                  ),
                },
                { key: "lost", head: "Lost", hint: LOST, cell: (r) => <Lost row={r} currency={lens.currency} /> },
                {
                  key: "why",
                  head: "What may be wrong",
                  text: true,
                  className: "max-w-[16rem] whitespace-normal!",
                  cell: (r) => <Why row={r} />,
                },
              ]}
            />
          </Scroll>
        </>
      )}
    </>
  );
}

const LOST =
  "Conversions fewer than the typical page with that goal would have brought, with the limits of what is known at 95 %. Below nought: it may be better.";

function Lost({ row, currency }: { row: Row; currency: string }) {
  if (!row.lost) return <span className="text-quiet">–</span>;
  const whole = (n: number | null) => (n == null ? "?" : String(Math.round(n)).replace("-", "−"));
  return (
    <span className="num">
      <span className={cx(row.certain && "font-semibold text-brick")}>{whole(row.lost.estimate)}</span>
      <span className="block text-mark leading-tight text-quiet">
        {whole(row.lost.low)} to {whole(row.lost.high)}
        {row.certain && row.worth != null && ` · ${money(row.worth, currency, 0)}`}
      </span>
    </span>
  );
}

function Why({ row }: { row: Row }) {
  return (
    <span className="text-small">
      {row.reasons.map((r) => (
        <span key={r.kind} className="block text-ink">
          {REASONS[r.kind](r)}
        </span>
      ))}
      {row.needed != null && (
        <span className="block text-quiet">
          {count(row.needed - row.entries)} more visits would tell a page half as good
        </span>
      )}
      {!row.goal && <span className="block text-quiet">open it and say what it is there for</span>}
    </span>
  );
}

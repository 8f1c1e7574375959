import { useQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import type { Schemas } from "../../api/client";
import { Files } from "../../components/Files";
import { LensSentence, Word } from "../../components/LensSentence";
import { Sheet } from "../../components/Sheet";
import { Button, Empty, Failed, Loading } from "../../components/ui";
import { count, money, percent, plural } from "../../lib/format";
import { useKeys, useLetter } from "../../lib/keys";
import { lensQuery } from "../../lib/lens";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { useSmall } from "../../lib/useSmall";
import type { Step } from "../paths/model";
import { keptQuery } from "../paths/queries";
import { looksQuery } from "../pictures/queries";
import { Thumb } from "../pictures/Thumb";
import { ColumnChoice, saidColumns, shownColumns } from "../report/ColumnChoice";
import { frameOf } from "../report/columns";
import { MakeColumn, needsDistinct, ownColumns } from "../report/own";
import { inOrder } from "../report/sorting";
import { readWidths, saidWidths } from "../report/widths";
import { SaveView } from "../saved/SaveView";
import { Beside } from "./Beside";
import { Compare } from "./Compare";
import { type AnyRow, COLUMNS, type Column, DISTINCT, isPage } from "./columns";
import { Findings } from "./Findings";
import { Opened } from "./Opened";
import { OverTime } from "./OverTime";
import { PageDetail } from "./PageDetail";
import { PageTable } from "./PageTable";
import { PathWord } from "./PathWord";
import { lensChoicesQuery, pagesQuery } from "./queries";
import type { PagesSearch } from "./search";
import { stepColumns } from "./steps";
import { ViewWord } from "./ViewWord";
import { Wall } from "./Wall";

const KEYS = [
  ["w", "as a wall, or as a table"],
  ["o", "over time"],
] as const;

/** Nothing is ticked. */
const NONE = { a: undefined, b: undefined, c: undefined, d: undefined };

export default function Pages() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const search = useSearch({ from: "/s/$siteId/pages" });
  const navigate = useNavigate({ from: "/s/$siteId/pages" });
  const small = useSmall();
  const own = useQuery(lensChoicesQuery(siteId, search)).data?.own_columns ?? [];
  const chosen = shownColumns([...COLUMNS, ...ownColumns<AnyRow>(own, [])], search.columns);
  const distinct = chosen.some((c) => DISTINCT.includes(c.key)) || needsDistinct(own, chosen);
  const wall = search.as === "wall";
  const path = usePath(siteId, search, wall);
  const lens = { ...lensQuery(search), visitors: distinct || undefined, path: path || undefined };
  const report = useQuery(pagesQuery(siteId, lens));
  const looks = useQuery(looksQuery(siteId)).data;
  const set = (part: Partial<PagesSearch>, replace = true) =>
    navigate({ search: (now) => ({ ...now, ...part }), replace });
  const ticked = [search.a, search.b, search.c, search.d].filter((id): id is number => id !== undefined);
  const tick = (id: number) => {
    // The fifth takes the place of the one ticked first.
    const next = ticked.includes(id) ? ticked.filter((t) => t !== id) : [...ticked.slice(-3), id];
    set({ a: next[0], b: next[1], c: next[2], d: next[3], open: undefined });
  };

  useKeys(KEYS);
  useLetter("w", () => set({ as: wall ? undefined : "wall" }, false));
  useLetter("o", () => set({ chart: search.chart ? undefined : "conversion_rate" }));

  if (report.isPending) return <Loading what="the landing pages" />;
  if (report.isError && !report.data)
    return (
      <div className="flex flex-col items-start gap-3">
        <Failed error={report.error} retry={report.refetch} />
        <Button onClick={() => navigate({ search: {} })}>Look at the last 28 days of everything</Button>
      </div>
    );
  const { rows, before } = report.data;
  const read = report.data.lens;
  const frame = frameOf(rows, read, (r) => before[r.page_id ?? ""], search.compare === "before");
  const columns = [...COLUMNS, ...ownColumns<AnyRow>(read.own_columns, rows.filter(isPage))];
  const steps = report.data.path ? stepColumns(report.data.path, rows.filter(isPage)) : [];
  const shown = [...shownColumns(columns, search.columns), ...steps];
  const sort = search.sort ?? (wall ? (rows.some((r) => r.roas_interval) ? "-roas" : "-conversion_rate") : "-entries");
  const open = rows.filter(isPage).find((r) => r.page_id === search.open);
  const widths = readWidths(search.widths);
  const [a, b] = ticked;
  const comparing = a !== undefined && b !== undefined;
  const beside = comparing || open;

  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-3 border-b-2 border-ink pb-3">
        <div className="max-w-[52rem]">
          <LensSentence read={read} site={site.name} lens={search} change={(part) => set(part, false)} />
          <ViewWord siteId={siteId} view={wall ? "wall" : "pages"} search={search}>
            <PathWord siteId={siteId} path={path} choose={(path) => set({ path: path ?? (wall ? 0 : undefined) })} />
          </ViewWord>
        </div>
        <div className="flex flex-wrap gap-2">
          {!search.chart && <Button onClick={() => set({ chart: "conversion_rate" })}>Over time</Button>}
          <SaveView siteId={siteId} place="pages" search={search} opened={(view) => set({ view })} />
          <Files path={`/api/sites/${siteId}/pages`} query={lens} />
          <ColumnChoice
            all={columns}
            shown={shownColumns(columns, search.columns)}
            set={(some) => set({ columns: saidColumns(columns, some) })}
          >
            {site.canEdit && (
              <MakeColumn
                siteId={siteId}
                own={read.own_columns}
                made={(id) =>
                  set({ columns: [...shownColumns(columns, search.columns).map((c) => c.key), `own:${id}`].join(",") })
                }
              />
            )}
          </ColumnChoice>
        </div>
      </div>
      {report.isError && <Failed error={report.error} retry={report.refetch} />}
      {rows.length === 0 ? (
        <Nothing lens={read} everything={() => navigate({ search: {} })} />
      ) : (
        <>
          {search.chart && (
            <OverTime
              siteId={siteId}
              lens={search}
              pages={rows
                .filter(isPage)
                .filter((r) => ticked.includes(r.page_id) || (!ticked.length && r.page_id === search.open))
                .map((r) => ({ id: r.page_id, path: r.path }))}
              measure={search.chart}
              grain={search.grain ?? "day"}
              choose={(words) => set(words)}
            />
          )}
          <Findings report={report.data} open={(id) => set({ open: id, ...NONE })} />
          <p className="py-2 text-small text-quiet">
            {ticked.length === 1 ? (
              <strong className="text-plum">Tick one more page to compare the two.</strong>
            ) : wall ? (
              <>
                In order of{" "}
                <Order columns={columns.filter((c) => !c.optional)} sort={sort} choose={(sort) => set({ sort })} />, by
                what the evidence supports: the lower end of the range. Each figure stands on one scale with its range.
              </>
            ) : (
              "Open a page for its detail; tick two to four to compare them. Sorting by a rate goes by the end of its interval."
            )}
            <ToCome report={report.data} compared={search.compare === "before"} />
            <Unjoined report={report.data} />
          </p>
          {wall && open && !comparing ? (
            <Opened
              siteId={siteId}
              rows={inOrder(
                rows.filter(isPage).filter((r) => r.entries > 0),
                sort,
                [...columns, ...steps],
              )}
              row={open}
              frame={frame}
              open={(id) => set({ open: id, ...NONE })}
            />
          ) : (
            <div className="flex gap-4" aria-busy={report.isPlaceholderData}>
              <div className="min-w-0 flex-1">
                {wall ? (
                  <Wall
                    siteId={siteId}
                    report={report.data}
                    rows={rows.filter(isPage)}
                    frame={{ ...frame, bars: 84 }}
                    figures={search.columns ? shown.filter((c) => c.key !== "spend") : figuresOf(columns, steps)}
                    looks={looks}
                    sort={sort}
                    open={(id) => set({ open: id, ...NONE }, false)}
                    ticked={ticked}
                    tick={tick}
                  />
                ) : (
                  <PageTable
                    rows={rows}
                    frame={frame}
                    shown={shown}
                    narrow={Boolean(beside) || small}
                    sort={sort}
                    setSort={(sort) => set({ sort })}
                    open={comparing ? undefined : open?.page_id}
                    setOpen={(id) => set({ open: id, ...NONE })}
                    ticked={ticked}
                    tick={tick}
                    sizing={{ widths, set: (key, width) => set({ widths: saidWidths(widths, key, width) }) }}
                  />
                )}
              </div>
              {comparing ? (
                <Sheet
                  title={`${ticked.length === 2 ? "Two" : ticked.length === 3 ? "Three" : "Four"} pages compared`}
                  close={() => set(NONE)}
                >
                  {ticked.length > 2 ? (
                    <Beside siteId={siteId} lens={search} pages={ticked} frame={frame} />
                  ) : (
                    <Compare siteId={siteId} lens={search} a={a} b={b} frame={frame} />
                  )}
                </Sheet>
              ) : (
                open && (
                  <Sheet
                    title={<bdi className="num text-lead">{open.path}</bdi>}
                    close={() => set({ open: undefined })}
                  >
                    <button
                      type="button"
                      className="mb-3 block w-full overflow-hidden rounded-box border border-line hover:border-plum"
                      onClick={() => set({ as: "wall" }, false)}
                      aria-label={`See the whole page ${open.path}`}
                    >
                      <Thumb siteId={siteId} pageId={open.page_id} className="aspect-[3/1]" />
                    </button>
                    <PageDetail siteId={siteId} row={open} frame={frame} />
                  </Sheet>
                )
              )}
            </div>
          )}
        </>
      )}
    </>
  );
}

/** The path whose steps are shown. The wall takes one that ends with what is counted, where nobody has chosen. */
function usePath(siteId: number, search: PagesSearch, wall: boolean) {
  const kept = useQuery({ ...keptQuery(siteId), enabled: wall }).data ?? [];
  const conversion = useQuery(lensChoicesQuery(siteId, search)).data?.conversion?.id;
  if (search.path !== undefined || !wall || search.columns) return search.path;
  const ends = (steps: Step[]) => {
    const last = steps.at(-1);
    return last !== undefined && "conversion" in last && last.conversion === conversion;
  };
  return kept.find((p) => p.within === null && ends(p.steps))?.id;
}

/** What stands below a picture, where nobody has chosen: the return, and how far visits get. */
function figuresOf(columns: Column[], steps: Column[]): Column[] {
  const named = (key: string) => columns.filter((c) => c.key === key);
  return [
    ...named("roas"),
    ...(steps.length ? steps.slice(-2) : [...named("bounce_rate"), ...named("conversion_rate")]),
  ];
}

interface OrderProps {
  columns: Column[];
  sort: string;
  choose: (sort: string) => void;
}

function Order({ columns, sort, choose }: OrderProps) {
  const key = sort.replace(/^-/, "");
  return (
    <Word
      label="In order of"
      text={columns.find((c) => c.key === key)?.name.toLowerCase() ?? "a step"}
      value={key}
      choices={columns.map((c) => ({ value: c.key, text: c.name.toLowerCase() }))}
      choose={(value) => choose(`-${value}`)}
    />
  );
}

/** Recent visits' conversions come late: how many are still to be expected. */
function ToCome({ report, compared }: { report: Schemas["PagesOut"]; compared: boolean }) {
  const more = report.to_come;
  if (!more?.estimate || more.estimate < 0.5) return null;
  const many = plural(report.lens.conversion?.category);
  return (
    <span className="text-ink">
      {" "}
      About {count(Math.round(more.estimate))} more {many} ({count(more.low)} to {count(more.high)}) are still to come
      of these visits, if they come as past ones did: dashed marks show where rates and ROAS will be then
      {compared && "; those of the days before have come, so the comparison is a little unkind to these days"}.
    </span>
  );
}

function Unjoined({ report }: { report: Schemas["PagesOut"] }) {
  const [total, unjoined] = [Number(report.cost.total), Number(report.cost.unjoined)];
  if (!unjoined) return null;
  return (
    <>
      {" "}
      {money(unjoined, report.lens.currency, 0)} of spend ({percent(unjoined / total, 0)}) joined no page and stands in
      no row; Spend says why.
    </>
  );
}

function Nothing({ lens, everything }: { lens: Schemas["LensOut"]; everything: () => void }) {
  return (
    <div className="mt-5">
      <Empty title="No visit fits this sentence.">
        <p>
          {lens.channels.length
            ? "Take a longer period, or any source and device."
            : "Nothing has been recorded yet. Put the line from Pixel on your pages and open one of them."}
        </p>
        {lens.channels.length > 0 && <Button onClick={everything}>Look at the last 28 days of everything</Button>}
      </Empty>
    </div>
  );
}

/** Sources: where visits came from, opened step by step, and what became of them. */
import { useQueries, useQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { Files } from "../../components/Files";
import { LensSentence, Word } from "../../components/LensSentence";
import { Button, Empty, Failed, Loading } from "../../components/ui";
import { CHANNELS, type Lens, lensQuery } from "../../lib/lens";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { useSmall } from "../../lib/useSmall";
import { lensChoicesQuery } from "../pages/queries";
import { ColumnChoice, saidColumns, shownColumns } from "../report/ColumnChoice";
import { frameOf } from "../report/columns";
import { MakeColumn, ownColumns } from "../report/own";
import { readWidths, saidWidths } from "../report/widths";
import { SaveView } from "../saved/SaveView";
import { Hours } from "./Hours";
import { sourcesQuery } from "./queries";
import { COLUMNS, SourceTable, type TreeRow } from "./SourceTable";
import { BY, DIMENSIONS, type SourcesSearch } from "./search";
import { TwoCounts } from "./TwoCounts";

export default function Sources() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const search = useSearch({ from: "/s/$siteId/sources" });
  const navigate = useNavigate({ from: "/s/$siteId/sources" });
  const lens = useQuery(lensChoicesQuery(siteId, search));
  const set = (part: Partial<SourcesSearch>, replace = false) =>
    navigate({ search: (now) => ({ ...now, ...part }), replace });
  const at = search.at ?? [];
  const own = lens.data?.own_columns ?? [];
  const columns = [...COLUMNS, ...ownColumns<TreeRow>(own, [])];
  const shown = shownColumns(columns, search.columns);
  const [drawn, counts] = [search.by === "hour", search.by === "counts"];

  if (lens.isPending) return <Loading what="the sources" />;
  if (!lens.data)
    return (
      <div className="flex flex-col items-start gap-3">
        <Failed error={lens.error} retry={lens.refetch} />
        <Button onClick={() => navigate({ search: {} })}>Look at the last 28 days of everything</Button>
      </div>
    );
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-3 border-b-2 border-ink pb-3">
        <div className="max-w-[52rem]">
          <LensSentence read={lens.data} site={site.name} lens={search} change={(part) => set(part)} to="sources" />
          <p className="mt-1 text-title">
            Broken down by{" "}
            <Word
              label="Broken down by"
              text={search.by ? `by ${BY[search.by] ?? search.by}` : "step by step"}
              value={search.by ?? "steps"}
              choices={Object.entries(BY)
                .filter(([key]) => !key.startsWith("sub"))
                .map(([value, text]) => ({ value, text }))}
              choose={(value) => set({ by: value === "steps" ? undefined : value })}
            />
            {at.map((one, place) => (
              <span key={one}>
                {place ? " and " : ", only of "}
                <Word
                  label={saidOf(one)}
                  text={saidOf(one)}
                  value="here"
                  choices={[
                    { value: "here", text: `only of ${saidOf(one)}` },
                    { value: "all", text: "of any" },
                  ]}
                  choose={(value) => value === "all" && set({ at: at.filter((a) => a !== one) })}
                />
              </span>
            ))}
            .
          </p>
        </div>
        <div className="flex flex-wrap gap-2">
          <SaveView siteId={siteId} place="sources" search={search} opened={(view) => set({ view }, true)} />
          <Files
            path={`/api/sites/${siteId}/${counts ? "two-counts" : `sources${drawn ? "/hours" : ""}`}`}
            query={{ ...lensQuery(search), by: drawn || counts ? undefined : search.by, at }}
          />
          {!drawn && !counts && (
            <ColumnChoice
              all={columns}
              shown={shown}
              set={(some) => set({ columns: saidColumns(columns, some) }, true)}
            >
              {site.canEdit && (
                <MakeColumn
                  siteId={siteId}
                  own={own}
                  made={(id) => set({ columns: [...shown.map((c) => c.key), `own:${id}`].join(",") }, true)}
                />
              )}
            </ColumnChoice>
          )}
        </div>
      </div>
      {drawn ? (
        <Hours siteId={siteId} lens={search} at={at} />
      ) : counts ? (
        <TwoCounts siteId={siteId} lens={search} />
      ) : (
        <Told key={JSON.stringify([search.by, at])} siteId={siteId} search={search} set={set} />
      )}
    </>
  );
}

/** "source meadow-feed", of "source:meadow-feed". */
export function saidOf(at: string) {
  const [dimension = "", value = ""] = at.split(/:(.*)/s);
  if (dimension === "channel") return CHANNELS[value as keyof typeof CHANNELS] ?? value;
  if (dimension === "returning") return value === "new" ? "first visits" : "later visits";
  if (dimension === "page") return `landing page no. ${value}`;
  return `${DIMENSIONS[dimension] ?? dimension} ${value || "not said"}`;
}

interface ToldProps {
  siteId: number;
  search: SourcesSearch;
  set: (part: Partial<SourcesSearch>, replace?: boolean) => void;
}

function Told({ siteId, search, set }: ToldProps) {
  const small = useSmall();
  const at = search.at ?? [];
  const widths = readWidths(search.widths);
  const report = useQuery(sourcesQuery(siteId, search, search.by, at));
  // Rows that are opened, each by what it and those around it are.
  const [opened, setOpened] = useState<string[][]>([]);
  const below = useQueries({
    queries: opened.map((path) => sourcesQuery(siteId, search as Lens, undefined, [...at, ...path])),
  });
  if (report.isPending) return <Loading what="the sources" />;
  if (report.isError && !report.data) return <Failed error={report.error} retry={report.refetch} />;
  const children = new Map(opened.map((path, place) => [JSON.stringify(path), below[place]]));
  const rowsOf = (path: string[], answer: typeof report.data): TreeRow[] =>
    answer.rows.map((r) => {
      const place = {
        by: answer.by,
        path: r.kind === "value" ? [...path, `${answer.by}:${r.value}`] : path,
        depth: path.length,
      };
      const was = r.kind === "value" ? answer.before[r.value] : undefined;
      return { ...r, ...place, was: was && { ...was, ...place } };
    });
  const toggle = (row: TreeRow) => {
    const key = JSON.stringify(row.path);
    setOpened((now) =>
      now.some((p) => JSON.stringify(p) === key)
        ? now.filter((p) => !JSON.stringify(p).startsWith(key.slice(0, -1)))
        : [...now, row.path],
    );
  };
  const everything = rowsOf([], report.data);
  const shownRows = [
    ...everything,
    ...opened.flatMap((path, i) => (below[i]?.data ? rowsOf(path, below[i].data) : [])),
  ];
  const columns = shownColumns([...COLUMNS, ...ownColumns(report.data.lens.own_columns, shownRows)], search.columns);
  const frame = frameOf<TreeRow>(shownRows, report.data.lens, (r) => r.was, search.compare === "before");
  if (!report.data.rows.length)
    return (
      <div className="mt-5">
        <Empty title="No visit fits this sentence.">
          <p>Take a longer period, or any source and device.</p>
        </Empty>
      </div>
    );
  return (
    <>
      <p className="py-2 text-small text-quiet">
        {search.by
          ? "Each row is all visits of one value. "
          : "Open a row for what it is made of: channel, source, medium, campaign, ad group, ad, sub-IDs. "}
        Conversions and spend stand on the day of the visit that they belong to.
      </p>
      <div aria-busy={report.isPlaceholderData}>
        <SourceTable
          rows={everything}
          total={{ ...report.data.total, by: "", path: [], depth: 0 }}
          childrenOf={(row) => {
            const query = children.get(JSON.stringify(row.path));
            return query && { rows: query.data ? rowsOf(row.path, query.data) : [], loading: query.isPending };
          }}
          frame={frame}
          columns={small ? columns.filter((c) => c.narrow) : columns}
          sort={search.sort ?? "-entries"}
          setSort={(sort) => set({ sort }, true)}
          toggle={search.by ? undefined : toggle}
          look={(row, by) => set({ at: [...at, ...row.path], by })}
          sizing={{ widths, set: (key, width) => set({ widths: saidWidths(widths, key, width) }, true) }}
        />
      </div>
    </>
  );
}

/** From one page, what came before and after it, three deep each way, as ranked lists with bars on one scale. */
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import type { Schemas } from "../../api/client";
import { Files } from "../../components/Files";
import { OriginAndDevice, PeopleWord, PeriodWord, Word } from "../../components/LensSentence";
import { Button, cx, Empty, Failed, Loading, TextButton } from "../../components/ui";
import { count, percent } from "../../lib/format";
import { lensQuery } from "../../lib/lens";
import { useSiteId } from "../../lib/useSiteId";
import { lensChoicesQuery, pagesQuery } from "../pages/queries";
import { toggled, type WaysSearch, waysQuery } from "./ways";

type Column = Schemas["WayColumnOut"];
const HEADS: Record<number, string> = {
  [-3]: "Three before",
  [-2]: "Two before",
  [-1]: "Before",
  1: "Next",
  2: "Two on",
  3: "Three on",
};

export default function Ways() {
  const siteId = useSiteId();
  const search = useSearch({ from: "/s/$siteId/ways" });
  const navigate = useNavigate({ from: "/s/$siteId/ways" });
  const go = (more: Partial<WaysSearch>) => navigate({ search: (now) => ({ ...now, ...more }) });
  const lens = useQuery(lensChoicesQuery(siteId, lensQuery(search)));
  const pages = useQuery(pagesQuery(siteId, lensQuery(search)));
  const known = (pages.data?.rows ?? []).filter((r) => r.kind === "page" && r.views > 0);
  const page = search.page ?? known[0]?.page_id ?? undefined;
  const found = useQuery({ ...waysQuery(siteId, page ?? 0, search), enabled: page !== undefined });
  const read = lens.data;
  if (!read || pages.isPending) return <Loading what="the ways" />;
  if (page === undefined)
    return (
      <>
        <h1 className="mb-5 border-b-2 border-ink pb-3 text-head leading-tight">Ways</h1>
        <Empty title="No page has been viewed in these days.">
          <p>
            {read.channels.length
              ? "Take a longer period, or any source and device."
              : "Nothing has been recorded yet."}
          </p>
          <Button onClick={() => navigate({ search: {} })}>Look at the last 28 days of everything</Button>
        </Empty>
      </>
    );
  const r = found.data;
  const at = search.at ?? [];
  return (
    <>
      <header className="flex flex-wrap items-start justify-between gap-3 border-b-2 border-ink pb-3">
        <div>
          <p className="text-small text-quiet">
            <Link to="/s/$siteId/paths" params={{ siteId: String(siteId) }} className="text-plum underline">
              Paths
            </Link>{" "}
            · Ways
          </p>
          <h1 className="max-w-4xl font-head text-head leading-[1.4] font-normal">
            The ways through{" "}
            <Word
              label="Page"
              text={r?.path ?? "…"}
              value={String(page)}
              choices={known.map((p) => ({ value: String(p.page_id), text: p.path }))}
              choose={(value) => go({ page: Number(value), at: undefined })}
            />{" "}
            <PeopleWord read={read} change={go} />
            <PeriodWord read={read} lens={search} change={go} /> <OriginAndDevice read={read} change={go} />.
          </h1>
        </div>
        <Files path={`/api/sites/${siteId}/ways`} query={{ ...search, page }} />
      </header>
      {found.isPending && <Loading what="the ways" />}
      {found.isError && !r && <Failed error={found.error} retry={found.refetch} />}
      {r && (
        <div aria-busy={found.isPlaceholderData}>
          <p className="py-3">
            <strong>{count(r.asked)} views</strong> of the page
            {at.length > 0 && (
              <>
                {" "}
                with what is chosen below, of {count(r.views)} in all.{" "}
                <TextButton onClick={() => go({ at: undefined })}>All of them again</TextButton>
              </>
            )}
            {!at.length && (
              <span className="text-quiet">
                {" "}
                in visits that began in these days. Choose a page on either side, and the rest shows only the ways over
                it.
              </span>
            )}
          </p>
          <div className="grid gap-x-4 gap-y-5 md:grid-cols-3 xl:grid-cols-6">
            {r.columns.map((column) => (
              <Side
                key={column.distance}
                column={column}
                whole={r.asked}
                at={at}
                choose={(id) => go({ at: toggled(at, column.distance, id) })}
                open={(id) => go({ page: id, at: undefined })}
              />
            ))}
          </div>
          <p className="mt-4 max-w-3xl text-small text-quiet">
            Bars are on one scale: shares of the {count(r.asked)} views. A share’s interval is in its hint; views of one
            visit are not quite independent, so it is a little too narrow.
          </p>
        </div>
      )}
    </>
  );
}

interface SideProps {
  column: Column;
  whole: number;
  at: string[];
  choose: (page: number | null) => void;
  open: (page: number) => void;
}

function Side({ column, whole, at, choose, open }: SideProps) {
  const before = column.distance < 0;
  return (
    <section aria-labelledby={`way${column.distance}`} className="min-w-0">
      <h2 id={`way${column.distance}`} className="border-b border-ink pb-1 text-lead">
        {HEADS[column.distance]} <span className="num font-normal text-quiet">{count(column.total)}</span>
      </h2>
      {column.total === 0 && <p className="py-2 text-small text-quiet">Nothing there.</p>}
      <ol>
        {column.neighbours.map((n) => {
          const chosen = at.includes(`${column.distance}:${n.page_id ?? "none"}`);
          const says = `${count(n.count)} of ${count(column.total)}: ${percent(n.share.estimate, 1)}, between ${percent(n.share.low, 1)} and ${percent(n.share.high, 1)}`;
          const name = n.path ?? (before ? "the visit began" : "left the site");
          return (
            <li key={n.page_id ?? "none"} className="border-b">
              <button
                type="button"
                aria-pressed={chosen}
                title={says}
                onClick={() => choose(n.page_id)}
                className={cx("block w-full py-1.5 text-left hover:bg-plum-wash", chosen && "bg-plum-wash")}
              >
                <span className="flex items-baseline justify-between gap-2">
                  <bdi className={cx("min-w-0 truncate", n.path ? "num" : "text-quiet italic")}>{name}</bdi>
                  <span className="num shrink-0">{count(n.count)}</span>
                </span>
                <span
                  aria-hidden="true"
                  className={cx("mt-1 block h-1.5", n.path ? "bg-ink" : "hatched")}
                  style={{ width: `${Math.max(0.6, (100 * n.count) / Math.max(1, whole))}%` }}
                />
                <span className="sr-only">{says}</span>
              </button>
              {chosen && n.page_id && (
                <TextButton className="pb-1 text-small" onClick={() => n.page_id && open(n.page_id)}>
                  Go on from this page
                </TextButton>
              )}
            </li>
          );
        })}
      </ol>
      {column.further > 0 && (
        <p className="py-1.5 text-small text-quiet">
          {count(column.further)} at{" "}
          {column.further_pages === 1 ? "one further page" : `${count(column.further_pages)} further pages`}
        </p>
      )}
    </section>
  );
}

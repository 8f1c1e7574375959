/** Every page known, and whether the tag is on it. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { PageName } from "../../components/PageName";
import { Scroll } from "../../components/Scroll";
import { Button, cx, Empty, Failed, Field, FormProblem, fieldError, Input, Loading, Select } from "../../components/ui";
import { ago, count, day } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { CheckPage } from "./CheckPage";
import { coverageQuery } from "./queries";

type Covered = Schemas["CoveredOut"];
const STATES: Record<Covered["state"], string> = {
  stopped: "stopped",
  twice: "tag twice",
  unopened: "not opened yet",
  seen: "tag seen",
};
const SOURCES: Record<string, string> = {
  pasted: "from your list",
  sitemap: "from the sitemap",
  link: "a page links to it",
};

export function Coverage({ siteId, canEdit, check = "" }: { siteId: number; canEdit: boolean; check?: string }) {
  const [search, setSearch] = useState("");
  const [state, setState] = useState("");
  const [adding, setAdding] = useState(false);
  const [checking, setChecking] = useState(check);
  const wanted = useDeferredValue(search);
  const coverage = useQuery(coverageQuery(siteId, wanted, state));
  const now = coverage.data;
  return (
    <>
      {canEdit && <CheckPage key={checking} siteId={siteId} start={checking} />}
      <section aria-labelledby="coverage" className="mt-5">
        <div className="mb-2 flex flex-wrap items-end justify-between gap-3">
          <h2 id="coverage" className="text-[17px]">
            Pages known <span className="num text-quiet">{count(now?.total)}</span>
          </h2>
          <div className="flex flex-wrap gap-2">
            <Select
              aria-label="Which pages"
              className="w-auto!"
              value={state}
              onChange={(e) => setState(e.target.value)}
            >
              <option value="">all pages</option>
              {Object.entries(STATES).map(([key, says]) => (
                <option key={key} value={key}>
                  {says} ({now?.by_state[key] ?? 0})
                </option>
              ))}
            </Select>
            <Input
              aria-label="Find a page"
              placeholder="Find a page by its address"
              className="w-60!"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
            />
            {canEdit && (
              <Button aria-expanded={adding} onClick={() => setAdding(!adding)}>
                Add pages
              </Button>
            )}
          </div>
        </div>
        {adding && <AddPages siteId={siteId} done={() => setAdding(false)} />}
        {coverage.isPending && <Loading what="the pages" />}
        {coverage.isError && <Failed error={coverage.error} retry={coverage.refetch} />}
        {now && (
          <Table rows={now.pages} searched={Boolean(search || state)} check={canEdit ? setChecking : undefined} />
        )}
        {now && now.pages.length === 300 && (
          <p className="mt-2 text-quiet">The first 300 are shown. Find others by their address.</p>
        )}
      </section>
    </>
  );
}

interface TableProps {
  rows: Covered[];
  searched: boolean;
  check?: (url: string) => void;
}

function Table({ rows, searched, check }: TableProps) {
  if (!rows.length)
    return searched ? (
      <Empty title="No page known is like that." />
    ) : (
      <Empty title="No page is known yet.">
        <p>
          That is no error: a page shows up here as soon as somebody opens it with the tag on it. Open one, or add a
          list of your pages to see which are still missing.
        </p>
      </Empty>
    );
  return (
    <Scroll label="Known pages" className="max-h-[62vh]">
      <table className="bench bench-dense">
        <thead>
          <tr>
            <th className="text">Page</th>
            <th className="text">Tag</th>
            <th title="Views in visits that count, over the last four weeks, as of a few minutes ago.">Views a day</th>
            <th>Views so far</th>
            <th>First hit</th>
            <th>Last hit</th>
            {check && (
              <th>
                <span className="sr-only">Check it</span>
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.host + r.path}>
              <td className="text max-w-[24rem]">
                <PageName path={r.path} title={r.title || (r.state === "unopened" ? SOURCES[r.source] : "")} />
              </td>
              <td className="text min-w-[12rem] whitespace-normal">
                <TagState row={r} />
              </td>
              <td className="num">
                {r.per_day == null ? "–" : r.per_day < 10 ? r.per_day.toFixed(1) : count(r.per_day)}
              </td>
              <td className="num">{count(r.views)}</td>
              <td className="num">{day(r.first_at)}</td>
              <td className="num">{r.last_at ? ago(r.last_at) : "–"}</td>
              {check && (
                <td>
                  <Button
                    kind="quiet"
                    aria-label={`Check ${r.path}`}
                    onClick={() => {
                      check(`${r.host}${r.path}`);
                      scrollTo({ top: 0 });
                    }}
                  >
                    Check
                  </Button>
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}

function TagState({ row }: { row: Covered }) {
  const missing = row.findings.some((f) => f.verdict === "missing");
  if (row.state === "stopped")
    return (
      <span className="font-medium text-brick">
        Stopped: sent {count(Math.round(row.per_day ?? 0))} a day until {day(row.stopped_at)}.
      </span>
    );
  if (row.state === "twice") return <span className="font-medium text-marigold">Twice on the page. Remove one.</span>;
  if (row.state === "unopened")
    return (
      <span className={cx(missing && "font-medium text-brick")}>
        {missing ? `No tag on it when it was checked ${ago(row.checked_at)}. ` : "Nobody has opened it yet. "}
        <a className="font-normal text-plum underline" href={row.address} target="_blank" rel="noreferrer noopener">
          Open it
        </a>
      </span>
    );
  return <span className="text-quiet">seen</span>;
}

function AddPages({ siteId, done }: { siteId: number; done: () => void }) {
  const queries = useQueryClient();
  const [pages, setPages] = useState("");
  const [sitemap, setSitemap] = useState("");
  const add = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/coverage/pages", {
          params: { path: { site_id: siteId } },
          body: sitemap ? { sitemap, pages: "" } : { pages, sitemap: "" },
        }),
      ),
    onSuccess: async (found) => {
      await makeStale(queries, siteId, "coverage");
      toast(found.added ? `${count(found.added)} pages are new.` : "All of these pages were known already.");
      done();
    },
  });
  return (
    <form
      className="panel mb-3 grid grid-cols-[minmax(0,1fr)] gap-4 p-3 md:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <Field label="A list of pages" hint="One a line; a path is enough." error={fieldError(add.error, "pages")}>
        {(p) => (
          <textarea
            {...p}
            rows={4}
            className="num w-full rounded-box border border-quiet/50 bg-surface px-2.5 py-1.5"
            placeholder={"/order/thank-you\n/stockists"}
            value={pages}
            onChange={(e) => setPages(e.target.value)}
          />
        )}
      </Field>
      <div className="flex flex-col gap-3">
        <Field
          label="or the address of the site’s sitemap"
          hint="It is fetched once, from the site’s own hosts only."
          error={fieldError(add.error, "url")}
        >
          {(p) => (
            <Input
              {...p}
              className="num"
              placeholder="https://brackenhive.example/sitemap.xml"
              value={sitemap}
              onChange={(e) => setSitemap(e.target.value)}
            />
          )}
        </Field>
        <FormProblem problem={add.error} fields={["pages", "url"]} />
        <Button type="submit" kind="main" className="self-start" disabled={add.isPending || !(pages.trim() || sitemap)}>
          Add these pages
        </Button>
      </div>
    </form>
  );
}

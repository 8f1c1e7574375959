/** Every page known, and whether the tag is on it. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Form, Lines, Unplaced, useServerForm, Written } from "../../components/form";
import { PageName } from "../../components/PageName";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Button, cx, Empty, Failed, Input, Loading, Select } from "../../components/ui";
import { ago, count, day, many } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { z } from "../../lib/zod";
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
          <h2 id="coverage" className="text-title">
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
          <KnownTable rows={now.pages} searched={Boolean(search || state)} check={canEdit ? setChecking : undefined} />
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

function KnownTable({ rows, searched, check }: TableProps) {
  if (!rows.length)
    return searched ? (
      <Empty title="No page known is like that." />
    ) : (
      <Empty title="No page is known yet.">
        <p>
          That is no error: a page shows up here once a visitor opens it with the tag on it. Open one, or add a list of
          your pages to see which are still missing.
        </p>
      </Empty>
    );
  return (
    <Scroll label="Known pages" className="max-h-[62vh]">
      <Table<Covered>
        dense
        columns={[
          {
            key: "page",
            head: "Page",
            text: true,
            className: "max-w-[24rem]",
            cell: (r) => (
              <PageName path={r.path} title={r.title || (r.state === "unopened" ? SOURCES[r.source] : "")} />
            ),
          },
          {
            key: "tag",
            head: "Tag",
            text: true,
            className: "min-w-[12rem] whitespace-normal",
            cell: (r) => <TagState row={r} />,
          },
          {
            key: "views-a-day",
            head: "Views a day",
            className: "num",
            hint: "Views in visits that count, over the last four weeks, as of a few minutes ago.",
            cell: (r) => (r.per_day == null ? "–" : r.per_day < 10 ? r.per_day.toFixed(1) : count(r.per_day)),
          },
          { key: "views-so-far", head: "Views so far", className: "num", cell: (r) => count(r.views) },
          { key: "first-hit", head: "First hit", className: "num", cell: (r) => day(r.first_at) },
          { key: "last-hit", head: "Last hit", className: "num", cell: (r) => (r.last_at ? ago(r.last_at) : "–") },
          ...(check
            ? [
                {
                  key: "check-it",
                  head: <span className="sr-only">Check it</span>,
                  cell: (r: Covered) => (
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
                  ),
                },
              ]
            : []),
        ]}
        rows={rows}
        rowKey={(r) => r.host + r.path}
      />
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
  const form = useServerForm({
    schema: z.object({ pages: z.string(), sitemap: z.string() }),
    values: { pages: "", sitemap: "" },
    alias: { url: "sitemap" },
    send: ({ pages, sitemap }) =>
      data(
        client.POST("/api/sites/{site_id}/coverage/pages", {
          params: { path: { site_id: siteId } },
          body: sitemap ? { sitemap, pages: "" } : { pages, sitemap: "" },
        }),
      ),
    done: async (found) => {
      await makeStale(queries, siteId, "coverage");
      toast(found.added ? `${many(found.added, "new page")} found.` : "All of these pages were known already.");
      done();
    },
  });
  const [pages, sitemap] = form.watch(["pages", "sitemap"]);
  return (
    <Form form={form} className="panel mb-3 grid grid-cols-[minmax(0,1fr)] gap-4 p-3 md:grid-cols-2">
      <Lines
        form={form}
        name="pages"
        label="A list of pages"
        hint="One a line; a path is enough."
        rows={4}
        placeholder={"/order/thank-you\n/stockists"}
      />
      <div className="flex flex-col gap-3">
        <Written
          form={form}
          name="sitemap"
          label="or the address of the site’s sitemap"
          hint="It is fetched once, from the site’s own hosts only."
          className="num"
          placeholder="https://brackenhive.example/sitemap.xml"
        />
        <Unplaced form={form} />
        <Button type="submit" kind="main" className="self-start" disabled={form.pending || !(pages.trim() || sitemap)}>
          Add these pages
        </Button>
      </div>
    </Form>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useSiteId } from "../../app/Shell";
import { useSite } from "../../app/session";
import { ago, count, day } from "../../parts/format";
import { PageName } from "../../parts/PageName";
import { Scroll } from "../../parts/Scroll";
import { Sheet } from "../../parts/Sheet";
import { Button, CopyLine, Empty, Failed, Head, Input, Loading } from "../../parts/ui";
import { SiteSettings } from "./SiteSettings";

type State = Schemas["Pixel"];

export default function Pixel() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const [search, setSearch] = useState("");
  const [settings, setSettings] = useState(false);
  const wanted = useDeferredValue(search);
  const pixel = useQuery({
    queryKey: ["pixel", siteId, wanted],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/pixel", {
          params: { path: { site_id: siteId }, query: { search: wanted } },
        }),
      ),
    placeholderData: (before) => before,
    refetchInterval: 5_000,
  });
  const now = pixel.data;
  return (
    <div className="flex gap-5">
      <div className="min-w-0 flex-1">
        <Head
          title="Pixel"
          lead={
            now?.last_at
              ? `Hits have come in since ${day(now.first_at)}, the last one ${ago(now.last_at)}.`
              : "No hit has come in yet. Paste the line below, then open one of your pages."
          }
          actions={<Button onClick={() => setSettings(true)}>Site settings</Button>}
        />
        {pixel.isPending && <Loading what="the pages" />}
        {pixel.isError && <Failed error={pixel.error} retry={pixel.refetch} />}
        {now && (
          <>
            <Lines now={now} fresh={!now.first_at} />
            <Refusals rows={now.refusals} />
            <section aria-labelledby="seen" className="mt-6">
              <div className="mb-2 flex flex-wrap items-end justify-between gap-3">
                <h2 id="seen" className="text-[17px]">
                  Pages with the tag <span className="num text-quiet">{count(now.pages_total)}</span>
                </h2>
                <Input
                  aria-label="Find a page"
                  placeholder="Find a page by its address"
                  className="max-w-64"
                  value={search}
                  onChange={(e) => setSearch(e.target.value)}
                />
              </div>
              <KnownPages rows={now.pages} searched={Boolean(wanted)} />
            </section>
          </>
        )}
      </div>
      {settings && (
        <Sheet title={`Settings of ${site.name}`} close={() => setSettings(false)}>
          <SiteSettings siteId={siteId} canEdit={site.canEdit} done={() => setSettings(false)} />
        </Sheet>
      )}
    </div>
  );
}

function Lines({ now, fresh }: { now: State; fresh: boolean }) {
  return (
    <section aria-labelledby="lines" className="mt-4">
      <h2 id="lines" className="text-[17px]">
        The line for every page
      </h2>
      <p className="mb-2 max-w-3xl text-quiet">
        It goes into <code className="num">&lt;head&gt;</code> of all pages of the site, once each, as high up as you
        can put it. Nothing else has to change on a page; what counts as a conversion is said here, under Conversions.
      </p>
      <CopyLine text={now.head_line} label="the line for every page" />
      <details className="mt-2" open={fresh || undefined}>
        <summary className="w-fit py-1 font-medium text-plum">For split tests, and for pages without scripts</summary>
        <div className="mt-2 grid gap-4 lg:grid-cols-2">
          <div>
            <p className="mb-1">
              <strong>The first page of a split test</strong> takes this line instead, so that nobody sees it flash by
              before being sent on.
            </p>
            <CopyLine text={now.render_line} label="the line for the first page of a split test" />
          </div>
          <div>
            <p className="mb-1">
              <strong>Where scripts do not run</strong>, an image counts the view. Put it into{" "}
              <code className="num">&lt;body&gt;</code>, beside the line above.
            </p>
            <CopyLine text={now.pixel_line} label="the image for pages without scripts" />
          </div>
        </div>
      </details>
    </section>
  );
}

const REASONS: Record<string, string> = {
  unknown_key: "a key that no site has",
  too_large: "too large",
  wrong_type: "a field of the wrong kind",
  not_json: "not readable",
  too_old: "older than 24 hours",
  bad_address: "an unreadable address",
  foreign_host: "a host that is not the site's",
  wrong_method: "the wrong method",
};

function Refusals({ rows }: { rows: State["refusals"] }) {
  if (!rows.length) return null;
  return (
    <section aria-labelledby="refused" className="mt-5 border-l-4 border-marigold pl-4">
      <h2 id="refused" className="text-[15px]">
        Refused in the last 7 days
      </h2>
      <ul>
        {rows.map((r) => (
          <li key={r.day + r.reason}>
            <span className="num">{count(r.count)}</span> on {day(r.day)}: {REASONS[r.reason] ?? r.reason}.{" "}
            <bdi className="break-words text-quiet">{r.sample}</bdi>
          </li>
        ))}
      </ul>
    </section>
  );
}

function KnownPages({ rows, searched }: { rows: State["pages"]; searched: boolean }) {
  if (!rows.length)
    return searched ? (
      <Empty title="No page with the tag has these letters in its address." />
    ) : (
      <Empty title="Nobody has opened a page with the tag yet.">
        <p>That is no error: a page shows up here as soon as it is opened once, within seconds. Open one and look.</p>
      </Empty>
    );
  return (
    <Scroll label="Known pages" className="max-h-[70vh]">
      <table className="bench">
        <thead>
          <tr>
            <th className="text">Page</th>
            <th>Views so far</th>
            <th>First hit</th>
            <th>Last hit</th>
            <th className="text">Tag</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((p) => (
            <tr key={p.id}>
              <td className="text max-w-[26rem]">
                <PageName path={p.path} title={p.title} />
              </td>
              <td className="num">{count(p.views)}</td>
              <td className="num">{day(p.first_at)}</td>
              <td className="num">{ago(p.last_at)}</td>
              <td className="text">
                {p.twice_at ? (
                  <span className="font-medium text-marigold">Twice on the page. Remove one.</span>
                ) : (
                  <span className="text-quiet">once</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}

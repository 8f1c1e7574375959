import { useQuery } from "@tanstack/react-query";
import { useSearch } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Sheet } from "../../components/Sheet";
import { Tabs } from "../../components/Tabs";
import { Button, Failed, Head, Loading } from "../../components/ui";
import { ago, clock, count, day } from "../../lib/format";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { refusal } from "../../words/refusals";
import { Counted } from "./Counted";
import { Coverage } from "./Coverage";
import { Forgery } from "./Forgery";
import { Install } from "./Install";
import { pixelQuery } from "./queries";
import { RefusedHosts } from "./RefusedHosts";
import { SiteSettings } from "./SiteSettings";

type State = Schemas["Pixel"];
type Part = "install" | "coverage" | "counted" | "forgery";

export default function Pixel() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const { check } = useSearch({ from: "/s/$siteId/pixel" });
  const [part, setPart] = useState<Part | undefined>(check ? "coverage" : undefined);
  const [settings, setSettings] = useState(false);
  const pixel = useQuery({ ...pixelQuery(siteId), refetchInterval: 5_000 });
  const now = pixel.data;
  const shown = part ?? (now?.first_at ? "coverage" : "install");
  return (
    <div className="flex gap-5">
      <div className="min-w-0 flex-1">
        <Head
          title="Pixel"
          lead={
            now && !now.last_at && now.refused_hosts.length
              ? "Hits arrive, and are refused: they come from hosts that are not this site’s."
              : now?.last_at
                ? `Hits have come in since ${day(now.first_at)}, the last one ${ago(now.last_at)}.`
                : "No hit has come in yet. Paste the line below, then open one of your pages."
          }
          actions={<Button onClick={() => setSettings(true)}>Site settings</Button>}
        />
        {pixel.isPending && <Loading what="the state of the tag" />}
        {pixel.isError && <Failed error={pixel.error} retry={pixel.refetch} />}
        {now && (
          <>
            {now.silent_since && (
              <p role="status" className="mt-3 border-l-4 border-brick pl-3">
                <strong>
                  Nothing has come from this site since {day(now.silent_since)}, {clock(now.silent_since)}
                </strong>
                , far longer than it is ever quiet. See whether the site can be reached and still has the tag: check a
                page under Coverage.
              </p>
            )}
            {now.stopped > 0 && !now.silent_since && (
              <p role="status" className="mt-3 border-l-4 border-brick pl-3">
                <strong>
                  The tag has stopped on {count(now.stopped)} page{now.stopped > 1 ? "s" : ""}
                </strong>{" "}
                that used to send more. It stands first under Coverage.
              </p>
            )}
            <RefusedHosts siteId={siteId} canEdit={site.canEdit} rows={now.refused_hosts} />
            {now.own_at && (
              <p className="mt-3 border-l-4 border-line pl-3">
                A browser or network marked as your own was here {ago(now.own_at)}. Such visits are shown in Live and
                counted nowhere: that is no fault of the tag.
              </p>
            )}
            <Tabs<Part>
              label="Parts of Pixel"
              chosen={shown}
              choose={setPart}
              tabs={{
                install: "Install",
                coverage: "Coverage and check",
                counted: "Own visits and consent",
                forgery: "Forged hits",
              }}
            >
              <div className="mt-4">
                {shown === "install" && <Install siteId={siteId} canEdit={site.canEdit} />}
                {shown === "coverage" && <Coverage siteId={siteId} canEdit={site.canEdit} check={check} />}
                {shown === "counted" && <Counted siteId={siteId} canEdit={site.canEdit} />}
                {shown === "forgery" && <Forgery siteId={siteId} canEdit={site.canEdit} />}
              </div>
              {shown === "coverage" && <Refusals rows={now.refusals} />}
            </Tabs>
          </>
        )}
      </div>
      {settings && (
        <Sheet title="Site settings" close={() => setSettings(false)}>
          <SiteSettings siteId={siteId} canEdit={site.canEdit} done={() => setSettings(false)} />
        </Sheet>
      )}
    </div>
  );
}

function Refusals({ rows }: { rows: State["refusals"] }) {
  if (!rows.length) return null;
  return (
    <section aria-labelledby="refused" className="mt-5 border-l-4 border-marigold pl-4">
      <h2 id="refused" className="text-lead">
        Refused in the last 7 days
      </h2>
      <ul>
        {rows.map((r) => (
          <li key={r.day + r.reason}>
            <span className="num">{count(r.count)}</span> on {day(r.day)}: {refusal(r.reason)}.{" "}
            <bdi className="break-words text-quiet">{r.sample}</bdi>
          </li>
        ))}
      </ul>
    </section>
  );
}

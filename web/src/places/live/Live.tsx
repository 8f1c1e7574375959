import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useSiteId } from "../../app/Shell";
import { clock, count, day, words } from "../../parts/format";
import { CHANNELS } from "../../parts/lens";
import { PageName } from "../../parts/PageName";
import { Scroll } from "../../parts/Scroll";
import { Button, cx, Empty, Failed, Head, Loading } from "../../parts/ui";

type Hit = Schemas["HitOut"];
type Now = Schemas["LiveOut"];

const STANDINGS: Record<Hit["standing"], string> = {
  counted: "",
  own: "own visit, not counted",
  bot: "bot, not counted",
  rehearsal: "rehearsal, not counted",
};

export default function Live() {
  const siteId = useSiteId();
  const [paused, setPaused] = useState(false);
  const [visitor, setVisitor] = useState<string>();
  const live = useQuery({
    queryKey: ["live", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/live", { params: { path: { site_id: siteId } } })),
    refetchInterval: paused ? false : 1_500,
  });
  const now = live.data;
  const hits = visitor ? now?.hits.filter((h) => h.visitor === visitor) : now?.hits;
  return (
    <>
      <Head
        title="Live"
        lead="What comes in, as it comes in, with the conversions it met. Newest first."
        actions={
          <>
            {visitor && <Button onClick={() => setVisitor(undefined)}>Show everybody</Button>}
            <Button aria-pressed={paused} onClick={() => setPaused(!paused)}>
              {paused ? "Go on" : "Hold still"}
            </Button>
          </>
        }
      />
      {live.isPending && <Loading what="the last hits" />}
      {live.isError && <Failed error={live.error} retry={live.refetch} />}
      {now && <Arrivals now={now} paused={paused} />}
      {hits &&
        (hits.length ? (
          <Hits hits={hits} follow={visitor ? undefined : setVisitor} />
        ) : (
          <div className="mt-5">
            <Empty title="Nothing has come in yet.">
              <p>
                Put the line from Pixel on a page and open that page in another window. It shows up here within 5
                seconds.
              </p>
            </Empty>
          </div>
        ))}
    </>
  );
}

function Arrivals({ now, paused }: { now: Now; paused: boolean }) {
  const behind = now.behind_seconds;
  return (
    <p className="my-3 flex flex-wrap gap-x-6 gap-y-1" aria-live="off">
      <span>
        <span className="num font-semibold">{count(now.last_minute)}</span> hits in the last minute
      </span>
      <span className={cx(behind > 10 && "font-medium text-marigold")}>
        {behind < 2 ? "processed as they come" : `processing is ${Math.round(behind)} s behind`}
      </span>
      <span className={cx(now.refused_today > 0 && "font-medium text-marigold")}>
        <span className="num">{count(now.refused_today)}</span> refused today{now.refused_today > 0 && ", see Pixel"}
      </span>
      {now.set_aside > 0 && (
        <span className="font-medium text-brick">
          <span className="num">{count(now.set_aside)}</span> groups could not be processed and were set aside
        </span>
      )}
      {paused && <span className="font-medium text-marigold">held still</span>}
    </p>
  );
}

function Hits({ hits, follow }: { hits: Hit[]; follow?: (visitor: string) => void }) {
  return (
    <Scroll label="Hits">
      <table className="bench">
        <thead>
          <tr>
            <th className="text">Time</th>
            <th className="text">Page</th>
            <th className="text">Met</th>
            <th className="text">Visitor</th>
            <th className="text">Came from</th>
            <th className="text">Device</th>
          </tr>
        </thead>
        <tbody>
          {hits.map((h) => (
            <tr key={h.id} className={cx(h.standing !== "counted" && "text-quiet")}>
              <td className="num text">
                {clock(h.time)}
                {!isToday(h.time) && (
                  <span className="block text-[11.5px] leading-tight text-quiet">{day(h.time)}</span>
                )}
              </td>
              <td className="text max-w-[24rem]">
                <PageName path={h.path} title={title(h)} />
              </td>
              <td className="text">
                {h.met.map((m) => (
                  <span key={m.name} className={cx("mr-2 font-medium", m.counted ? "text-fern" : "text-quiet")}>
                    {m.counted ? "✓ " : ""}
                    {words(m.name)}
                    {!m.counted && " again, counted before"}
                  </span>
                ))}
                {h.met.length === 0 && <span className="text-quiet">–</span>}
              </td>
              <td className="text">
                <button
                  type="button"
                  disabled={!follow}
                  onClick={() => follow?.(h.visitor)}
                  className="num text-plum enabled:underline disabled:cursor-default disabled:text-ink"
                  aria-label={`Follow visitor ${h.visitor}`}
                >
                  {h.visitor}
                </button>{" "}
                <span className="text-quiet">visit {h.visit_number}</span>
              </td>
              <td className="text max-w-[16rem]">
                <bdi className="block truncate">{from(h)}</bdi>
                {h.campaign && (
                  <bdi className="block truncate text-[12.5px] leading-tight text-quiet">{h.campaign}</bdi>
                )}
              </td>
              <td className="text">
                {h.device}
                {STANDINGS[h.standing] && (
                  <span className="block text-[12.5px] leading-tight">{STANDINGS[h.standing]}</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}

function title(h: Hit) {
  if (h.kind === "mark") return `code said “${h.name}”`;
  return h.kind === "note" ? "the tag is on this page twice" : h.title;
}

function from(h: Hit) {
  const channel = CHANNELS[h.channel] ?? h.channel;
  return h.source && h.source !== h.channel ? `${h.source}, ${channel}` : channel;
}

const isToday = (iso: string) => new Date(iso).toDateString() === new Date().toDateString();

import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Sheet } from "../../components/Sheet";
import { Tabs } from "../../components/Tabs";
import { Button, cx, Empty, Failed, Head, Input, Loading, Select } from "../../components/ui";
import { count } from "../../lib/format";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { refusal } from "../../words/refusals";
import { Hits } from "./Hits";
import { visitorHitsQuery } from "./queries";
import { Rehearsals } from "./Rehearsals";
import { type Hit, type Now, useLive } from "./useLive";
import { Why } from "./Why";

type Who = "all" | Hit["standing"];
type What = "all" | "views" | "acts" | "met";

const WHO: Record<Who, string> = {
  all: "everybody",
  counted: "visits that count",
  own: "own visits",
  bot: "bots",
  rehearsal: "rehearsals",
  aside: "what is excluded",
};
const WHAT: Record<What, string> = {
  all: "everything",
  views: "page views",
  acts: "forms, clicks and events",
  met: "what met a conversion",
};

export default function Live() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const [part, setPart] = useState<"stream" | "rehearsals">("stream");
  const tabs = (chosen: ReactNode) => (
    <Tabs
      label="Parts of Live"
      chosen={part}
      choose={setPart}
      tabs={{ stream: "What comes in", rehearsals: "Rehearsal" }}
    >
      {chosen}
    </Tabs>
  );
  if (part === "stream") return <Stream siteId={siteId} tabs={tabs} />;
  return (
    <>
      <Head
        title="Rehearsal"
        lead="A check with two halves: what should count does, and what should not stays silent."
      />
      {tabs(<Rehearsals siteId={siteId} canEdit={site.canEdit} />)}
    </>
  );
}

function Stream({ siteId, tabs }: { siteId: number; tabs: (chosen: ReactNode) => ReactNode }) {
  const live = useLive(siteId);
  const [held, setHeld] = useState<Hit[]>();
  const [visitor, setVisitor] = useState<Hit>();
  const [open, setOpen] = useState<Hit>();
  const [who, setWho] = useState<Who>("all");
  const [what, setWhat] = useState<What>("all");
  const [page, setPage] = useState("");
  // One visitor's path goes further back than the list does.
  const path = useQuery(
    visitorHitsQuery(siteId, visitor?.visitor_id, live.hits.find((h) => h.visitor_id === visitor?.visitor_id)?.id),
  );
  const wanted = (h: Hit) =>
    (who === "all" || h.standing === who) &&
    (what === "all" ||
      (what === "views" && h.kind === "view") ||
      (what === "acts" && h.kind !== "view") ||
      (what === "met" && h.met.length > 0)) &&
    (page === "" || h.path.includes(page));
  const shown = visitor ? path.data?.hits : (held ?? live.hits).filter(wanted);
  const missed = held ? live.hits.filter((h) => !held.some((k) => k.id === h.id)).length : 0;

  return (
    <div className="flex flex-col gap-4 lg:flex-row">
      <div className="min-w-0 flex-1">
        <Head
          title="Live"
          lead="What comes in, as it comes in, with the conversions it met. Open a hit to see why, and why not."
          actions={
            <Button aria-pressed={held !== undefined} onClick={() => setHeld(held ? undefined : live.hits)}>
              {held ? `Go on${missed ? `, ${count(missed)} waiting` : ""}` : "Hold still"}
            </Button>
          }
        />
        {tabs(
          <>
            {!live.now && !live.lost && <Loading what="the last hits" />}
            {live.lost && (
              <div className="mt-3">
                <Failed error={new Error("The connection to the server is lost. It is tried again by itself.")} />
              </div>
            )}
            {live.now && <Arrivals now={live.now} />}
            {live.now && (
              <div className="mb-3 flex flex-wrap items-center gap-x-2 gap-y-1">
                {visitor ? (
                  <>
                    Following visitor <span className="num font-semibold">{visitor.visitor}</span>, newest first.
                    <Button kind="quiet" onClick={() => setVisitor(undefined)}>
                      Show everybody
                    </Button>
                  </>
                ) : (
                  <>
                    Showing
                    <Choice label="What is shown" options={WHAT} value={what} set={setWhat} />
                    from
                    <Choice label="Whose hits are shown" options={WHO} value={who} set={setWho} />
                    on pages with
                    <Input
                      aria-label="Part of the page's address"
                      className="num w-40! py-0.5"
                      placeholder="any address"
                      value={page}
                      onChange={(e) => setPage(e.target.value)}
                    />
                  </>
                )}
              </div>
            )}
            {shown?.length ? (
              <Hits hits={shown} open={open?.id} show={setOpen} follow={visitor ? undefined : setVisitor} />
            ) : (
              live.now && (
                <Empty
                  title={live.hits.length ? "Nothing like that is among the last hits." : "Nothing has come in yet."}
                >
                  <p>
                    {live.hits.length
                      ? "Widen the choice above, or wait: new hits show within two seconds."
                      : "Put the line from Pixel on a page and open that page in another window. It shows up here within two seconds."}
                  </p>
                </Empty>
              )
            )}
          </>,
        )}
      </div>
      {open && (
        <Sheet title="Why, and why not" close={() => setOpen(undefined)}>
          <Why siteId={siteId} hit={open} />
        </Sheet>
      )}
    </div>
  );
}

interface ChoiceProps<T extends string> {
  label: string;
  options: Record<T, string>;
  value: T;
  set: (value: T) => void;
}

function Choice<T extends string>({ label, options, value, set }: ChoiceProps<T>) {
  return (
    <Select aria-label={label} className="w-auto! py-0.5" value={value} onChange={(e) => set(e.target.value as T)}>
      {Object.entries<string>(options).map(([key, says]) => (
        <option key={key} value={key}>
          {says}
        </option>
      ))}
    </Select>
  );
}

function Arrivals({ now }: { now: Now }) {
  const behind = now.behind_seconds;
  const refused = now.refused_today.reduce((sum, r) => sum + r.count, 0);
  return (
    <p className="my-3 flex flex-wrap gap-x-6 gap-y-1" aria-live="off">
      <span>
        <span className="num font-semibold">{count(now.last_minute)}</span> hits in the last minute
      </span>
      <span className={cx(behind > 10 && "font-medium text-marigold")}>
        {behind < 2 ? "processed as they come" : `processing is ${Math.round(behind)} s behind`}
      </span>
      <span>
        today: <span className="num font-semibold">{count(now.accepted_today)}</span> accepted, of them{" "}
        <span className="num">{count(now.bots_today)}</span> by bots
        {now.rehearsed_today > 0 && (
          <>
            , <span className="num">{count(now.rehearsed_today)}</span> rehearsed
          </>
        )}{" "}
        and <span className="num">{count(now.own_today)}</span> own;{" "}
        <span className="num">{count(now.repeats_today)}</span> sent twice and dropped
      </span>
      <span className={cx(refused > 0 && "font-medium text-marigold")}>
        <span className="num">{count(refused)}</span> refused
        {refused > 0 && `: ${now.refused_today.map((r) => `${count(r.count)} ${refusal(r.reason)}`).join(", ")}`}
      </span>
      {now.set_aside > 0 && (
        <span className="font-medium text-brick">
          <span className="num">{count(now.set_aside)}</span> groups could not be processed and were put on hold
        </span>
      )}
    </p>
  );
}

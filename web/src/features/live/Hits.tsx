import { PageName } from "../../components/PageName";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { cx } from "../../components/ui";
import { clock, day, dayOf, words } from "../../lib/format";
import { CHANNELS } from "../../lib/lens";
import { called } from "../conversions/builder/rule";
import type { Hit } from "./useLive";

export const STANDINGS: Record<Hit["standing"], string> = {
  counted: "",
  own: "own visit, not counted",
  bot: "bot, not counted",
  rehearsal: "rehearsal, not counted",
  aside: "excluded: in no report",
};

interface Props {
  hits: Hit[];
  open?: string;
  show: (hit: Hit) => void;
  follow?: (hit: Hit) => void;
}

export function Hits({ hits, open, show, follow }: Props) {
  return (
    <Scroll label="Hits" className="max-h-[72vh]">
      <Table<Hit>
        dense
        columns={[
          {
            key: "time",
            head: "Time",
            text: true,
            className: "num",
            cell: (h) => (
              <>
                {clock(h.time)}
                {!isToday(h.time) && <span className="block text-mark leading-tight text-quiet">{day(h.time)}</span>}
              </>
            ),
          },
          {
            key: "what-and-on-which-page",
            head: "What, and on which page",
            text: true,
            className: "max-w-[24rem]",
            cell: (h) => (
              <button
                type="button"
                className="block w-full min-w-0 hover:underline"
                aria-label={`Why ${h.path} met what it did`}
                onClick={() => show(h)}
              >
                <PageName path={h.path} title={happened(h)} />
              </button>
            ),
          },
          {
            key: "met",
            head: "Met",
            text: true,
            cell: (h) => (
              <>
                {h.met.map((m) => (
                  <span key={m.name} className={cx("mr-2 font-medium", m.counted ? "text-fern" : "text-quiet")}>
                    {m.counted ? "✓ " : ""}
                    {words(m.name)}
                    {!m.counted && " again, counted before"}
                  </span>
                ))}
                {h.met.length === 0 && <span className="text-quiet">–</span>}
              </>
            ),
          },
          {
            key: "visitor",
            head: "Visitor",
            text: true,
            cell: (h) => (
              <>
                <button
                  type="button"
                  disabled={!follow}
                  onClick={() => follow?.(h)}
                  className="num text-plum enabled:underline disabled:cursor-default disabled:text-ink"
                  aria-label={`Follow visitor ${h.visitor}`}
                >
                  {h.visitor}
                </button>{" "}
                <span className="text-quiet">
                  {h.visit_number == null ? "no visit known" : `visit ${h.visit_number}, page ${h.views}`}
                </span>
              </>
            ),
          },
          {
            key: "came-from",
            head: "Came from",
            text: true,
            className: "max-w-[14rem] min-w-32 whitespace-normal",
            cell: (h) => (
              <>
                <bdi className="block break-words">{from(h)}</bdi>
                {h.campaign && <bdi className="block truncate text-small leading-tight text-quiet">{h.campaign}</bdi>}
              </>
            ),
          },
          {
            key: "device",
            head: "Device",
            text: true,
            cell: (h) => (
              <>
                {h.device}
                {STANDINGS[h.standing] && (
                  <span className="block text-small leading-tight">{STANDINGS[h.standing]}</span>
                )}
              </>
            ),
          },
        ]}
        rows={hits}
        rowKey={(h) => h.id}
        rowProps={(h) => ({ className: cx(h.standing !== "counted" && "text-quiet", open === h.id && "bg-plum-wash") })}
      />
    </Scroll>
  );
}

/** What happened, in words. */
export function happened(h: Hit) {
  const what = called(h.kind, h.element, h.name);
  if (h.kind === "form") return `${what} sent`;
  if (h.kind === "tried") return `${what} tried, no success seen`;
  if (h.kind === "begun") return `${what} begun`;
  if (h.kind === "left") return `${what} left${h.properties.field ? ` at the field ${h.properties.field}` : ""}`;
  if (h.kind === "loaded") return loaded(h.properties);
  if (h.kind === "click") return `clicked: ${what}`;
  if (h.kind === "message") return `a frame said ${what}`;
  if (h.kind === "shown") return `appeared: ${what}`;
  if (h.kind === "stay") return `looked at for ${h.properties.reached} s`;
  if (h.kind === "scroll") return `scrolled to ${h.properties.reached} %`;
  if (h.kind === "step") return `went over the bridge link ${what}`;
  if (h.kind === "sale") return `a sale was reported for ${what}`;
  if (h.kind === "outcome") return `was reported as ${h.name.replaceAll("_", " ")}`;
  if (h.kind === "note") {
    const letters = Object.values(h.variants);
    return letters.length
      ? `the page is as variant ${letters.join(", ")} of a split test has it`
      : "a note on the set-up";
  }
  return what || h.title;
}

function loaded({ load, largest }: Hit["properties"]) {
  const took = (milliseconds: unknown) => `${(Number(milliseconds) / 1000).toFixed(1)} s`;
  return `loaded in ${took(load)}${largest === undefined ? "" : `, its largest part seen after ${took(largest)}`}`;
}

function from(h: Hit) {
  const channel = CHANNELS[h.channel as keyof typeof CHANNELS] ?? h.channel;
  return h.source && h.source !== h.channel ? `${h.source}, ${channel}` : channel;
}

const isToday = (iso: string) => dayOf(new Date(iso)) === dayOf(new Date());

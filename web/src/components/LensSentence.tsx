/** One sentence that says what is looked at; its underlined words are the controls. */
import { useNavigate, useParams } from "@tanstack/react-router";
import { type ReactNode, useState } from "react";
import type { Schemas } from "../api/client";
import { day, several } from "../lib/format";
import { CHANNELS, type Lens, MODELS } from "../lib/lens";
import { useSession } from "../lib/session";
import { SentenceWord } from "./SentenceWord";
import { Button, cx, Input } from "./ui";

type Read = Schemas["LensOut"];
interface Choice {
  value: string;
  text: string;
  group?: string;
}

/** A word of the sentence. Its choices are a list; `more` may follow below it. */
export function Word({
  label,
  text,
  choices,
  value,
  choose,
  more,
}: {
  label: string;
  text: string;
  choices: Choice[];
  value: string;
  choose: (value: string) => void;
  more?: (close: () => void) => ReactNode;
}) {
  return (
    <SentenceWord label={label} text={text}>
      {(close) => (
        <>
          {choices.map((choice, index) => (
            <div key={choice.value}>
              {choice.group && choice.group !== choices[index - 1]?.group && (
                <div className="px-3 pt-2 pb-0.5 text-fine text-quiet">{choice.group}</div>
              )}
              <button
                type="button"
                aria-pressed={choice.value === value}
                className={cx(
                  "block w-full px-3 py-1.5 text-left hover:bg-plum-wash",
                  choice.value === value && "font-semibold",
                )}
                onClick={() => {
                  choose(choice.value);
                  close();
                }}
              >
                <span className="inline-block w-4">{choice.value === value && "✓"}</span>
                {choice.text}
              </button>
            </div>
          ))}
          {more?.(close)}
        </>
      )}
    </SentenceWord>
  );
}

const PERIODS: Choice[] = [
  { value: "today", text: "today" },
  { value: "yesterday", text: "yesterday" },
  { value: "this-week", text: "this week" },
  { value: "last-week", text: "last week" },
  { value: "this-month", text: "this month" },
  { value: "last-month", text: "last month" },
  { value: "7d", text: "last 7 days" },
  { value: "14d", text: "last 14 days" },
  { value: "28d", text: "last 28 days" },
  { value: "90d", text: "last 90 days" },
];

function TwoDates({ read, choose }: { read: Read; choose: (period: string) => void }) {
  const [first, setFirst] = useState(read.first);
  const [last, setLast] = useState(read.last);
  return (
    <form
      className="flex flex-col gap-2 border-t px-3 py-3"
      onSubmit={(e) => {
        e.preventDefault();
        choose(`${first}..${last}`);
      }}
    >
      <label htmlFor="period-first">From</label>
      <Input
        id="period-first"
        type="date"
        value={first}
        max={last}
        onChange={(e) => setFirst(e.target.value)}
        required
      />
      <label htmlFor="period-last">to</label>
      <Input id="period-last" type="date" value={last} min={first} onChange={(e) => setLast(e.target.value)} required />
      <Button type="submit">Look at these days</Button>
    </form>
  );
}

export function originText(origin: string) {
  const [kind, name = ""] = origin.split(/:(.*)/s);
  if (kind === "channel") return CHANNELS[name as keyof typeof CHANNELS] ?? name;
  return kind === "source" ? name : "anywhere";
}

export function originChoices(read: Read): Choice[] {
  return [
    { value: "any", text: "anywhere" },
    ...read.channels.map((c) => ({ value: `channel:${c}`, text: CHANNELS[c] ?? c, group: "Channel" })),
    ...read.sources.map((s) => ({ value: `source:${s}`, text: s, group: "Source" })),
  ];
}

export const DEVICES: Choice[] = [
  { value: "any", text: "any device" },
  { value: "desktop", text: "desktops" },
  { value: "phone", text: "phones" },
  { value: "tablet", text: "tablets" },
];

interface Props {
  read: Read;
  site: string;
  lens: Lens;
  change: (words: Partial<Lens>) => void;
}

export function OriginAndDevice({ read, change }: Pick<Props, "read" | "change">) {
  return (
    <>
      from{" "}
      <Word
        label="Source"
        text={originText(read.origin)}
        value={read.origin}
        choices={originChoices(read)}
        choose={(origin) => change({ origin: origin === "any" ? undefined : origin })}
      />{" "}
      on{" "}
      <Word
        label="Device"
        text={DEVICES.find((d) => d.value === read.device)?.text ?? read.device}
        value={read.device}
        choices={DEVICES}
        choose={(device) => change({ device: device === "any" ? undefined : device })}
      />
    </>
  );
}

/** Whose visits: everybody's, or those of whoever is in an audience now. */
export function PeopleWord({ read, change }: Pick<Props, "read" | "change">) {
  if (!read.audiences.length) return null;
  return (
    <>
      by{" "}
      <Word
        label="People"
        text={read.audience ? `people in ${read.audience.name}` : "everybody"}
        value={String(read.audience?.id ?? "any")}
        choices={[
          { value: "any", text: "everybody" },
          ...read.audiences.map((a) => ({ value: String(a.id), text: a.name, group: "People who are now in" })),
        ]}
        choose={(id) => change({ audience: id === "any" ? undefined : Number(id) })}
      />{" "}
    </>
  );
}

function ModelWord({ read, change }: Pick<Props, "read" | "change">) {
  return (
    <Word
      label="Attribution"
      text={MODELS[read.model]}
      value={read.model}
      choices={Object.entries(MODELS).map(([value, text]) => ({ value, text }))}
      choose={(model) => change({ model: model as Lens["model"] })}
      more={() => (
        <p className="max-w-60 border-t px-3 pt-2 pb-1 text-small text-quiet">
          Which visits a conversion is credited to, of those in the {read.attribution_window_days} days before it.
        </p>
      )}
    />
  );
}

/** The site, to be changed where there is more than one. */
function SiteWord({ site, to }: { site: string; to: Place }) {
  const sites = useSession().data?.workspaces.flatMap((w) => w.sites) ?? [];
  const { siteId } = useParams({ strict: false });
  const navigate = useNavigate();
  if (sites.length < 2) return <strong className="font-semibold">{site}</strong>;
  return (
    <Word
      label="Site"
      text={site}
      value={String(siteId)}
      choices={sites.map((s) => ({ value: String(s.id), text: s.name }))}
      // What belongs to one site (a conversion, a page) does not go along.
      choose={(id) => navigate({ to: `/s/$siteId/${to}`, params: { siteId: id }, search: (now) => acrossSites(now) })}
    />
  );
}

function acrossSites({ period, device, model, compare }: Lens): Lens {
  return { period, device, model, compare };
}

/** The days that are looked at, with the word before them: "in the last 28 days", "for today". */
export function PeriodWord({ read, lens, change }: Omit<Props, "site">) {
  const period = lens.period ?? "28d";
  const named = PERIODS.find((p) => p.value === period);
  const [before, text] = period.includes("..")
    ? ["on the ", `days from ${day(read.first)} to ${day(read.last)}`]
    : period.endsWith("d")
      ? ["in the ", `last ${daysOf(read)} days`]
      : ["for ", named?.text ?? period];
  return (
    <>
      {before}
      <Word
        label="Period"
        text={text}
        value={period}
        choices={PERIODS}
        choose={(value) => change({ period: value })}
        more={(close) => (
          <TwoDates
            read={read}
            choose={(value) => {
              change({ period: value });
              close();
            }}
          />
        )}
      />
    </>
  );
}

const daysOf = (read: Read) => Math.round((Date.parse(read.last) - Date.parse(read.first)) / 864e5) + 1;

type Place = "pages" | "sources" | "worst";

export function LensSentence({ read, site, lens, change, to = "pages" }: Props & { to?: Place }) {
  const days = daysOf(read);
  return (
    <h1 className="font-head text-head leading-[1.4] font-normal">
      Visits to <SiteWord site={site} to={to} /> <PeopleWord read={read} change={change} />
      <PeriodWord read={read} lens={lens} change={change} /> <OriginAndDevice read={read} change={change} />
      {read.conversion ? (
        <>
          , counting{" "}
          <Word
            label="Conversion"
            text={several(read.conversion.name)}
            value={String(read.conversion.id)}
            choices={read.conversions.map((c) => ({ value: String(c.id), text: several(c.name) }))}
            choose={(id) => change({ conversion: Number(id) })}
          />{" "}
          by <ModelWord read={read} change={change} />
        </>
      ) : null}
      ,{" "}
      <Word
        label="Comparison"
        text={lens.compare === "before" ? `against the ${days} days before` : "against nothing"}
        value={lens.compare ?? "none"}
        choices={[
          { value: "none", text: "against nothing" },
          { value: "before", text: `against the ${days} days before` },
        ]}
        choose={(compare) => change({ compare: compare as Lens["compare"] })}
      />
      .
    </h1>
  );
}

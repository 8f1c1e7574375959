/** One number of all or some pages over time, with what was noted on its days. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { client, data } from "../../api/client";
import { Curve, type CurvePoint } from "../../charts/Curve";
import { Pictured } from "../../charts/Pictured";
import { Files } from "../../components/Files";
import { Word } from "../../components/LensSentence";
import { Button, Failed, FormProblem, Input, Loading, TextButton } from "../../components/ui";
import { count, day, dayOf, money, percent, plural, times } from "../../lib/format";
import { type Lens, lensQuery, readLens } from "../../lib/lens";
import { useSite } from "../../lib/session";
import { type Note, notesQuery } from "../notes/queries";
import { seriesQuery } from "./queries";

type Point = Schemas["PointOut"];
type Read = Schemas["LensOut"];
export type Grain = "day" | "week";

interface Measure {
  name: (read: Read) => string;
  pick: (p: Point) => Omit<CurvePoint, "start">;
  write: (value: number, read: Read) => string;
  /** What it is made of, for the line below. */
  of: (p: Point) => string;
}

const number = (text: string | null | undefined) => (text == null ? null : Number(text));
const plain = (value: number | null) => ({ value });
const whole = (value: number) => count(value);

export const MEASURES: Record<string, Measure> = {
  conversion_rate: {
    name: () => "conversion rate",
    pick: (p) => ({ ...ends(p.conversion_rate), thin: p.thin, more: p.rate_to_come?.estimate }),
    write: (v) => percent(v, v < 0.1 ? 1 : 0),
    of: (p) => `${count(p.converted)} of ${count(p.entries)} entries`,
  },
  entries: { name: () => "entries", pick: (p) => plain(p.entries), write: whole, of: () => "" },
  conversions: {
    name: (read) => plural(read.conversion?.category),
    pick: (p) => ({ value: Number(p.conversions), more: p.to_come?.estimate }),
    write: (v) => (Number.isInteger(v) ? count(v) : v.toFixed(1)),
    of: () => "",
  },
  bounce_rate: {
    name: () => "bounce rate",
    pick: (p) => ends(p.bounce_rate),
    write: (v) => percent(v, 0),
    of: (p) => `${count(p.bounces)} of ${count(p.entries)} entries`,
  },
  revenue: {
    name: () => "revenue",
    pick: (p) => plain(number(p.revenue)),
    write: (v, read) => money(v, read.currency, 0),
    of: () => "",
  },
  spend: {
    name: () => "spend",
    pick: (p) => plain(number(p.spend)),
    write: (v, read) => money(v, read.currency, 0),
    of: () => "",
  },
  profit: {
    name: () => "profit",
    pick: (p) => plain(number(p.profit)),
    write: (v, read) => money(v, read.currency, 0),
    of: () => "",
  },
  roas: {
    name: () => "return on ad spend",
    pick: (p) => ({
      value: number(p.roas),
      low: p.roas_interval?.low,
      high: p.roas_interval?.high,
      thin: p.thin,
      more: p.roas_to_come?.estimate,
    }),
    write: (v) => times(v),
    of: (p) => `${count(Number(p.conversions))} conversions on ${money(p.spend)} of spend`,
  },
};

function ends(rate: Schemas["IntervalOut"] | null) {
  return { value: rate?.estimate ?? null, low: rate?.low, high: rate?.high };
}

interface Props {
  siteId: number;
  lens: Lens;
  pages: { id: number; path: string }[];
  measure: string;
  grain: Grain;
  choose: (words: { chart?: string; grain?: Grain }) => void;
}

export function OverTime({ siteId, lens, pages, measure, grain, choose }: Props) {
  const ids = pages.map((p) => p.id);
  const found = useQuery(seriesQuery(siteId, lens, ids, grain));
  const [chosen, setChosen] = useState<number>();
  const read = found.data?.lens;
  const notes = useQuery({ ...notesQuery(siteId, read?.first ?? "", read?.last ?? "", ids), enabled: Boolean(read) });
  if (found.isPending) return <Loading what="the days" />;
  if (!found.data || !read) return <Failed error={found.error} retry={found.refetch} />;
  const { points, before } = found.data;
  const how = MEASURES[measure] ?? MEASURES.conversion_rate;
  if (!how) return null;
  const today = dayOf(new Date());
  const drawn = (p: Point): CurvePoint => ({
    start: p.start,
    ...how.pick(p),
    partial: grain === "week" ? p.days < 7 : p.start === today,
  });
  const place = (of: Note) => points.findLastIndex((p) => p.start <= of.day);
  const listed = notes.data ?? [];
  const at = chosen === undefined ? undefined : points[chosen];
  const was = chosen === undefined ? undefined : before[chosen];
  return (
    <section aria-label="Over time" className="mt-3 border-b pb-4" aria-busy={found.isPlaceholderData}>
      <div className="flex flex-wrap items-start justify-between gap-3">
        <h2 className="text-title font-normal">
          The{" "}
          <Word
            label="Drawn"
            text={how.name(read)}
            value={measure}
            choices={Object.entries(MEASURES).map(([value, m]) => ({ value, text: m.name(read) }))}
            choose={(value) => choose({ chart: value })}
          />{" "}
          of {pages.length ? pages.map((p) => p.path).join(" and ") : "all pages"},{" "}
          <Word
            label="Each point"
            text={grain === "week" ? "week by week" : "day by day"}
            value={grain}
            choices={[
              { value: "day", text: "day by day" },
              { value: "week", text: "week by week" },
            ]}
            choose={(value) => choose({ grain: value as Grain })}
          />
        </h2>
        <div className="flex gap-2">
          <Files
            path={`/api/sites/${siteId}/pages/series`}
            query={{ ...lensQuery(lens), page: ids.map(String), grain }}
          />
          <Button onClick={() => choose({ chart: undefined, grain: undefined })}>Close the curve</Button>
        </div>
      </div>
      <Pictured name="over-time">
        <Curve
          points={points.map(drawn)}
          before={before.map(drawn)}
          write={(v) => how.write(v, read)}
          day={day}
          noted={new Set(listed.map(place))}
          chosen={chosen}
          choose={setChosen}
          label={`${how.name(read)} over ${points.length} ${grain === "week" ? "weeks" : "days"}; the numbers are in the exported file`}
        />
      </Pictured>
      <p className="min-h-6 text-small" aria-live="polite">
        {at ? (
          <>
            <strong>
              {grain === "week" && "Week from "}
              {day(at.start)}
            </strong>
            : {said(how, at, read)}
            {was &&
              how.pick(was).value != null &&
              `; in the period before ${how.write(how.pick(was).value ?? 0, read)}`}
            {at.to_come &&
              `; about ${count(Math.round(at.to_come.estimate ?? 0))} more ${plural(read.conversion?.category)} (${count(at.to_come.low)} to ${count(at.to_come.high)}) are still to come`}
            {drawn(at).partial && (grain === "week" ? `; only ${at.days} of its days` : "; the day is not over")}
          </>
        ) : (
          <span className="text-quiet">
            The band is the 95 % interval, hatched where it is thin or not over yet
            {before.length > 0 && "; the dashed line is the period before"}. Conversions stand on the day of the visit
            that they are credited to, so the last days still rise
            {points.some((p) => how.pick(p).more) && ": hollow marks are what is to be expected"}.
          </span>
        )}
      </p>
      <Noted
        siteId={siteId}
        notes={chosen === undefined ? listed : listed.filter((n) => place(n) === chosen)}
        day={at?.start ?? read.last}
      />
    </section>
  );
}

function said(how: Measure, p: Point, read: Read) {
  const { value, low, high } = how.pick(p);
  if (value == null) return "no value";
  const range =
    low == null && high == null
      ? ""
      : `, between ${low == null ? "?" : how.write(low, read)} and ${high == null ? "?" : how.write(high, read)}`;
  const of = how.of(p);
  return `${how.write(value, read)}${range}${of && ` (${of})`}`;
}

const SHOWN = 5;
// What somebody has written comes before what Clabo notes of itself.
const FIRST: Note["kind"][] = ["written", "page", "test", "rule", "spend"];

function Noted({ siteId, notes, day: on }: { siteId: number; notes: Note[]; day: string }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [text, setText] = useState("");
  const [when, setWhen] = useState<string>();
  const again = () => queries.invalidateQueries({ queryKey: ["notes", siteId] });
  const write = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/notes", {
          params: { path: { site_id: siteId } },
          body: { day: when ?? on, text },
        }),
      ),
    onSuccess: () => {
      setText("");
      setWhen(undefined);
      return again();
    },
  });
  const remove = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/notes/{note_id}", {
          params: { path: { site_id: siteId, note_id: id } },
        }),
      ),
    onSettled: again,
  });
  const ranked = [...notes].sort((a, b) => FIRST.indexOf(a.kind) - FIRST.indexOf(b.kind));
  const shown = ranked.slice(0, SHOWN).sort((a, b) => (a.day < b.day ? -1 : 1));
  return (
    <div className="mt-2 flex flex-wrap items-start justify-between gap-x-8 gap-y-2">
      <ul className="max-w-2xl flex-1 text-small">
        {shown.map((n) => (
          <li key={`${n.day} ${n.kind} ${n.id} ${n.text}`} className="flex gap-2 py-0.5">
            <span aria-hidden="true" className="mt-1 size-[7px] shrink-0 bg-marigold" />
            <span className="num shrink-0">{day(n.day)}</span>
            <bdi>{n.text}</bdi>
            {n.page_id != null && (
              <Link
                to="/s/$siteId/pages"
                params={{ siteId: String(siteId) }}
                search={(now) => ({ ...readLens(now), as: "wall" as const, open: n.page_id ?? undefined })}
                className="text-plum underline"
              >
                before and after
              </Link>
            )}
            {n.by && <span className="text-quiet">{n.by}</span>}
            {n.id != null && site.canEdit && (
              <TextButton aria-label={`Delete the note “${n.text}”`} onClick={() => n.id && remove.mutate(n.id)}>
                delete
              </TextButton>
            )}
          </li>
        ))}
        {notes.length > SHOWN && (
          <li className="py-0.5 text-quiet">and {notes.length - SHOWN} more; go to a day for what was noted on it</li>
        )}
      </ul>
      {site.canEdit && (
        <form
          className="flex flex-wrap items-center gap-2 text-small"
          onSubmit={(event) => {
            event.preventDefault();
            write.mutate();
          }}
        >
          <label htmlFor="note-day">Note on</label>
          <Input
            id="note-day"
            type="date"
            className="w-auto!"
            value={when ?? on}
            onChange={(e) => setWhen(e.target.value)}
          />
          <Input
            aria-label="What happened"
            className="w-64!"
            placeholder="What happened"
            maxLength={300}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <Button type="submit" disabled={!text.trim() || write.isPending}>
            Note it
          </Button>
          <FormProblem problem={write.error ?? remove.error} fields={[]} />
        </form>
      )}
    </div>
  );
}

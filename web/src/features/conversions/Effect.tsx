import type { Schemas } from "../../api/client";
import { DayBars } from "../../charts/DayBars";
import { PageName } from "../../components/PageName";
import { Scroll } from "../../components/Scroll";
import { type Column, Table } from "../../components/Table";
import { Empty, Select, TextButton } from "../../components/ui";
import { count } from "../../lib/format";
import { called } from "./builder/rule";

type Preview = Schemas["PreviewOut"];
type Place = Schemas["PlaceOut"];
type Near = Schemas["NearOut"];

interface Props {
  written: boolean;
  preview?: Preview;
  days: number;
  setDays: (days: number) => void;
  /** Count this address instead. */
  pick: (path: string) => void;
}

/** What the rule catches among what was recorded, what it nearly does, and what looks like an accident. */
export function Effect({ written, preview, days, setDays, pick }: Props) {
  if (!written)
    return (
      <Empty title="Say on the left what counts.">
        <p>
          Here you will see what of the recorded past it catches, how often, and what it only nearly catches, before
          anything is saved.
        </p>
      </Empty>
    );
  if (!preview) return <p className="text-quiet">Nothing can be shown for this rule as it stands.</p>;
  return (
    <section aria-label="What the rule catches" className="min-w-0">
      <p className="text-lead" aria-live="polite">
        <strong>
          {preview.one_in > 1 && "about "}
          {count(preview.conversions)} conversion{preview.conversions === 1 ? "" : "s"}
        </strong>{" "}
        from {count(preview.events)} matching event{preview.events === 1 ? "" : "s"} in the last
        <Select
          aria-label="Days to look back"
          className="mx-1.5 inline-block w-auto! py-0.5"
          value={days}
          onChange={(e) => setDays(Number(e.target.value))}
        >
          {[7, 28, 90, 180].map((d) => (
            <option key={d} value={d}>
              {d}
            </option>
          ))}
        </Select>
        days <span className="text-small text-quiet">(own visits, rehearsals and bots left out)</span>
      </p>
      {preview.unproven > 0 && (
        <p className="text-marigold">
          {count(preview.unproven)} more matching event{preview.unproven === 1 ? " is" : "s are"} not counted for want
          of a proof.
        </p>
      )}
      {preview.change && <Change preview={preview} {...preview.change} />}
      {preview.one_in > 1 && (
        <p className="text-quiet">
          This takes in so much that one visitor in {preview.one_in} was looked at: the counts are estimates. Once
          saved, every one is counted.
        </p>
      )}
      <div className="panel mt-2 p-3">
        <DayBars values={preview.per_day} first={preview.first_day} height={64} />
      </div>
      {preview.from_now_on.length > 0 && (
        <p className="mt-3 border-l-4 border-marigold pl-3">
          <strong>Counts from now on only.</strong> Nobody looked out for it before, so the past says nothing:{" "}
          <bdi>{preview.from_now_on.join("; ")}</bdi>.
        </p>
      )}
      <Suspects preview={preview} />
      <h2 className="mt-5 mb-2 text-lead">
        Caught <span className="num text-quiet">{count(preview.places)}</span>
      </h2>
      {preview.caught.length ? (
        <Places rows={preview.caught} label="Caught" />
      ) : (
        <p className="text-quiet">
          Nothing that was ever recorded. If nobody has been there yet, open the page and do it once.
        </p>
      )}
      {preview.near.length > 0 && (
        <>
          <h2 className="mt-5 mb-2 text-lead">Nearly, but for one condition</h2>
          <Places rows={preview.near} label="Nearly caught" pick={pick} />
        </>
      )}
    </section>
  );
}

/** What saving would do to the numbers of these days. */
function Change({ preview, more, fewer }: { preview: Preview; more: number; fewer: number }) {
  if (!more && !fewer) return <p className="text-quiet">The same conversions as by the rule in force.</p>;
  const about = preview.one_in > 1 ? "about " : "";
  return (
    <p>
      Against the rule in force:{" "}
      <strong>
        {more > 0 && `${about}${count(more)} more`}
        {more > 0 && fewer > 0 && ", "}
        {fewer > 0 && `${about}${count(fewer)} fewer`}
      </strong>{" "}
      in these {count(preview.days)} days.
    </p>
  );
}

function Suspects({ preview }: { preview: Preview }) {
  if (!preview.suspects.length) return null;
  return (
    <div className="mt-4 border-l-4 border-marigold pl-3">
      <h2 className="text-lead">Caught by accident?</h2>
      <ul className="mt-1 flex flex-col gap-1">
        {preview.suspects.map((s) => (
          <li key={s.host + s.path}>
            <bdi className="num break-all">{s.path}</bdi>
            {s.title && (
              <>
                {" "}
                <bdi className="text-quiet">{s.title}</bdi>
              </>
            )}
            : {s.reasons.join("; ")}.
          </li>
        ))}
      </ul>
    </div>
  );
}

const isNear = (row: Place | Near): row is Near => "reason" in row;

function Places({ rows, label, pick }: { rows: (Place | Near)[]; label: string; pick?: (path: string) => void }) {
  const acts = rows.some((r) => r.kind !== "view");
  const what: Column<Place | Near> = {
    key: "what",
    head: "What",
    text: true,
    className: "max-w-[16rem] whitespace-normal",
    cell: (r) => (
      <bdi className="break-words">{r.kind === "view" ? "page view" : called(r.kind, r.element, r.name)}</bdi>
    ),
  };
  const why: Column<Place | Near> = {
    key: "why",
    head: "Why not",
    text: true,
    className: "max-w-[16rem] whitespace-normal",
    cell: (r) =>
      isNear(r) && (
        <>
          <bdi className="break-words">{r.reason}</bdi>
          {r.kind === "view" && (
            <TextButton className="block" onClick={() => pick?.(r.path)}>
              Count this one instead
            </TextButton>
          )}
        </>
      ),
  };
  const begun: Column<Place | Near> = {
    key: "begun",
    head: "Began the visit",
    className: "num",
    hint: "The view was the first of its visit: nobody came here from another page.",
    cell: (r) => (r.kind === "view" ? `${count(r.begun)} of ${count(r.events)}` : "–"),
  };
  return (
    <Scroll label={label}>
      <Table
        dense
        rows={rows}
        rowKey={(r) => [r.kind, r.host, r.path, r.name, JSON.stringify(r.element), isNear(r) && r.reason].join()}
        columns={[
          ...(acts ? [what] : []),
          {
            key: "page",
            head: acts ? "On the page" : "Page",
            text: true,
            className: "max-w-[20rem]",
            cell: (r) => <PageName path={r.path} title={r.title} />,
          },
          { key: "events", head: "Events", className: "num", cell: (r) => count(r.events) },
          { key: "visits", head: "Visits", className: "num", cell: (r) => count(r.visits) },
          pick ? why : begun,
        ]}
      />
    </Scroll>
  );
}

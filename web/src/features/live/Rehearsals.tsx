/** Checks with two halves: what should count does, and what should not stays silent. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Check, CircleDashed, X } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Button, CopyLine, Empty, Failed, Field, fieldError, Loading, Select, TextButton } from "../../components/ui";
import { clock, count, day, many, words } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { conversionsQuery } from "../conversions/queries";
import { rehearsalQuery, rehearsalsQuery, stepsQuery } from "./queries";

type Short = Schemas["RehearsalShort"];
type Whole = Schemas["RehearsalOut"];
type Line = Schemas["LineOut"];

export function Rehearsals({ siteId, canEdit }: { siteId: number; canEdit: boolean }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState<number>();
  const [rule, setRule] = useState("");
  const path = { site_id: siteId };
  const list = useQuery(rehearsalsQuery(siteId));
  const rules = useQuery(conversionsQuery(siteId));
  const begin = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/rehearsals", {
          params: { path },
          body: { rule_id: rule ? Number(rule) : null },
        }),
      ),
    onSuccess: async (made) => {
      setOpen(made.id);
      await makeStale(queries, siteId, "rehearsals");
    },
    onError: (error) => toast.error(error.message),
  });
  if (open) return <One siteId={siteId} id={open} canEdit={canEdit} close={() => setOpen(undefined)} />;
  return (
    <div className="mt-3">
      <div className="mb-4 flex flex-wrap items-end justify-between gap-3">
        <p className="max-w-2xl text-quiet">
          You open your pages by a link of the rehearsal and do what a visitor does. Each line turns to passed or failed
          as it happens. Nothing of it enters a report.
        </p>
        {canEdit && (
          <div className="flex items-end gap-2">
            <Field label="Rehearse">
              {(p) => (
                <Select {...p} className="w-56!" value={rule} onChange={(e) => setRule(e.target.value)}>
                  <option value="">every conversion</option>
                  {rules.data?.map((r) => (
                    <option key={r.id} value={r.id}>
                      {words(r.name)}
                    </option>
                  ))}
                </Select>
              )}
            </Field>
            <Button kind="main" className="mb-1" disabled={begin.isPending} onClick={() => begin.mutate()}>
              Begin
            </Button>
          </div>
        )}
      </div>
      {canEdit && rule && <Steps key={rule} siteId={siteId} ruleId={Number(rule)} />}
      {list.isPending && <Loading what="the rehearsals" />}
      {list.isError && <Failed error={list.error} retry={list.refetch} />}
      {list.data &&
        (list.data.length ? (
          <Records rows={list.data} open={setOpen} />
        ) : (
          <Empty title="Nothing has been rehearsed yet.">
            <p>A rule that counts is only half checked: rehearse once that it stays silent when it should.</p>
          </Empty>
        ))}
    </div>
  );
}

function Records({ rows, open }: { rows: Short[]; open: (id: number) => void }) {
  return (
    <Scroll label="Rehearsals">
      <Table
        columns={[
          {
            key: "begun",
            head: "Begun",
            text: true,
            cell: (r) => (
              <>
                <TextButton onClick={() => open(r.id)}>
                  {day(r.started_at)}, {clock(r.started_at)}
                </TextButton>
                {!r.ended_at && <span className="ml-2 font-medium text-marigold">going on</span>}
              </>
            ),
          },
          {
            key: "conversions",
            head: "Conversions",
            text: true,
            className: "max-w-[24rem] whitespace-normal",
            cell: (r) => r.names.map(words).join(", "),
          },
          { key: "by", head: "By", text: true, cell: (r) => (r.by_itself ? "by itself" : r.started_by) },
          { key: "passed", head: "Passed", className: "num", cell: (r) => count(r.passed) },
          {
            key: "failed",
            head: "Failed",
            className: (r) => (r.failed ? "num font-semibold text-brick" : "num"),
            cell: (r) => count(r.failed),
          },
          { key: "not-tried", head: "Not tried", className: "num", cell: (r) => count(r.untried) },
        ]}
        rows={rows}
        rowKey={(r) => r.id}
      />
    </Scroll>
  );
}

function One({ siteId, id, canEdit, close }: { siteId: number; id: number; canEdit: boolean; close: () => void }) {
  const queries = useQueryClient();
  const path = { site_id: siteId, rehearsal_id: id };
  const one = useQuery(rehearsalQuery(siteId, id));
  const end = useMutation({
    mutationFn: () => data(client.POST("/api/sites/{site_id}/rehearsals/{rehearsal_id}/end", { params: { path } })),
    onSuccess: async () => {
      await makeStale(queries, siteId, "rehearsals");
    },
  });
  const now = one.data;
  return (
    <div className="mt-3">
      {one.isPending && <Loading what="the rehearsal" />}
      {one.isError && <Failed error={one.error} retry={one.refetch} />}
      {now && (
        <>
          <div className="flex flex-wrap items-start justify-between gap-3">
            <Summary now={now} />
            <div className="flex gap-2">
              {canEdit && !now.ended_at && (
                <Button kind="main" onClick={() => end.mutate()}>
                  End and keep the record
                </Button>
              )}
              <Button onClick={close}>All rehearsals</Button>
            </div>
          </div>
          {!now.ended_at && (
            <div className="mt-3 max-w-3xl">
              <p className="mb-1">
                Open a line’s page by its link, or begin anywhere with this one. The tab remembers the rehearsal until
                it is closed.
              </p>
              <CopyLine text={now.link} label="the link of the rehearsal" />
            </div>
          )}
          {now.rules.map((r) => (
            <section key={r.rule} aria-label={words(r.name)} className="mt-5">
              <h2 className="text-title">{words(r.name)}</h2>
              <p className="mb-2 text-quiet">
                <bdi>{r.sentence}</bdi>
              </p>
              <div className="grid grid-cols-[minmax(0,1fr)] gap-4 lg:grid-cols-2">
                <Half title="Should count" lines={r.lines.filter((l) => l.should === "fire")} ended={!!now.ended_at} />
                <Half
                  title="Should stay silent"
                  lines={r.lines.filter((l) => l.should === "silent")}
                  ended={!!now.ended_at}
                />
              </div>
            </section>
          ))}
        </>
      )}
    </div>
  );
}

function Summary({ now }: { now: Whole }) {
  const all = now.passed + now.failed + now.untried;
  return (
    <p role="status" className="text-lead">
      <strong>
        {now.failed
          ? `${count(now.failed)} of ${count(all)} lines failed.`
          : now.untried
            ? `${count(now.passed)} of ${count(all)} lines passed, ${count(now.untried)} not tried yet.`
            : "Every line passed: it counts what it should, and nothing else."}
      </strong>{" "}
      <span className="text-quiet">
        {many(now.hits, "hit")} in this rehearsal, none of them in any report.
        {now.ended_at && ` Ended ${day(now.ended_at)}, ${clock(now.ended_at)}.`}
      </span>
    </p>
  );
}

const MARKS = {
  passed: { icon: Check, tone: "text-fern", says: "passed" },
  failed: { icon: X, tone: "text-brick", says: "failed" },
  untried: { icon: CircleDashed, tone: "text-quiet", says: "not tried" },
};

function Half({ title, lines, ended }: { title: string; lines: Line[]; ended: boolean }) {
  return (
    <div className="panel p-3">
      <h3 className="mb-1 text-lead">{title}</h3>
      {lines.length === 0 && (
        <p className="text-quiet">
          Nothing else of this kind is known on the site, so there is nothing to mix it up with.
        </p>
      )}
      <ul className="flex flex-col gap-2">
        {lines.map((l) => {
          const { icon: Icon, tone, says } = MARKS[l.status];
          return (
            <li key={l.says} className="flex gap-2">
              <Icon className={`mt-0.5 size-4 shrink-0 ${tone}`} aria-hidden />
              <span className="min-w-0 flex-1">
                <bdi className="break-words">{l.says}</bdi>
                <span className={`block text-small ${tone}`}>
                  {says}
                  {l.reason && (
                    <>
                      : <bdi className="break-words">{l.reason}</bdi>
                    </>
                  )}
                </span>
              </span>
              {!ended && l.link && (
                <a className="self-start text-plum underline" href={l.link} target="_blank" rel="noreferrer">
                  Open
                </a>
              )}
            </li>
          );
        })}
      </ul>
    </div>
  );
}

/** What a browser does that rehearses by itself. */
function Steps({ siteId, ruleId }: { siteId: number; ruleId: number }) {
  const path = { site_id: siteId, rule_id: ruleId };
  const stored = useQuery(stepsQuery(siteId, ruleId));
  const [text, setText] = useState<string>();
  const save = useMutation({
    mutationFn: (steps: string) =>
      data(client.PUT("/api/sites/{site_id}/conversions/{rule_id}/steps", { params: { path }, body: { steps } })),
    onSuccess: (kept) => toast(kept.steps ? "The steps are kept." : "There are no steps any more."),
  });
  if (!stored.data) return null;
  return (
    <details className="panel mb-4 p-3">
      <summary className="font-medium text-plum">
        {stored.data.steps ? "Its steps, for rehearsing by itself" : "Let it be rehearsed by itself"}
      </summary>
      <form
        className="mt-2 flex flex-col items-start gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate(text ?? stored.data.steps);
        }}
      >
        <div className="w-full max-w-3xl">
          <Field
            label="Steps, one a line"
            hint={
              <>
                open, click, fill, press, wait; “in iframe#booking click button” goes into a frame. Run them by{" "}
                <code className="num">manage.py rehearse {siteId}</code>, every night for example.
              </>
            }
            error={fieldError(save.error, "steps")}
          >
            {(p) => (
              <textarea
                {...p}
                rows={6}
                className="num w-full rounded-box border border-quiet/50 bg-surface px-2.5 py-1.5"
                placeholder={"open /contact\nfill [name=email] ada@brackenhive.example\nclick text=Book a place"}
                value={text ?? stored.data.steps}
                onChange={(e) => setText(e.target.value)}
              />
            )}
          </Field>
        </div>
        <Button type="submit" disabled={save.isPending}>
          Keep these steps
        </Button>
      </form>
    </details>
  );
}

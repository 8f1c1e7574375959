/** One audience: the definition on the left, what it gives on the right, while it is written. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useDeferredValue, useEffect, useState } from "react";
import { toast } from "sonner";
import { client, data, type Problem, type Schemas } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Button, Failed, Field, FormProblem, fieldError, Head, Input, Loading } from "../../components/ui";
import { count } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { useSiteId } from "../../lib/useSiteId";
import { Effect } from "./Effect";
import { Examples } from "./Examples";
import { ENOUGH } from "./enough";
import {
  blankLine,
  complete,
  type Definition,
  type Draft,
  isTimed,
  type Audience as Kept,
  toDefinition,
  toDraft,
} from "./model";
import { audiencesQuery, examplesQuery, growthQuery, previewQuery } from "./queries";
import { Stairs } from "./Stairs";
import { Uses } from "./Uses";
import { Written } from "./Written";

/** Whoever is in all of these audiences and in none of those. */
export interface AudienceSearch {
  all?: string;
  none?: string;
}

export default function Audience() {
  const siteId = useSiteId();
  const { audienceId } = useParams({ strict: false });
  const search = useSearch({ strict: false }) as AudienceSearch;
  const audiences = useQuery(audiencesQuery(siteId));
  if (audiences.isPending) return <Loading what="the audience" />;
  if (audiences.isError) return <Failed error={audiences.error} retry={audiences.refetch} />;
  if (audienceId === "new") return <Editor key={JSON.stringify(search)} siteId={siteId} search={search} />;
  const audience = audiences.data.find((a) => a.id === Number(audienceId));
  if (!audience)
    return <Failed error={new Error("This audience does not exist, or it was deleted. Go back to all audiences.")} />;
  return <Editor key={`${audience.id}-${audience.version}`} siteId={siteId} audience={audience} />;
}

function started({ all, none }: AudienceSearch): Draft {
  const lines = (ids: string | undefined) =>
    (ids ?? "")
      .split(",")
      .filter(Boolean)
      .map((id) => ({ parts: [{ what: { audience: Number(id) } }] }));
  const include = lines(all);
  return { inOrder: false, within: null, include: include.length ? include : [blankLine(21)], exclude: lines(none) };
}

function useSlow<T>(value: T, wait: number) {
  const [slow, setSlow] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSlow(value), wait);
    return () => clearTimeout(timer);
  }, [value, wait]);
  return useDeferredValue(slow);
}

function Editor({ siteId, audience, search = {} }: { siteId: number; audience?: Kept; search?: AudienceSearch }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [name, setName] = useState(audience?.name ?? "");
  const [empty, setEmpty] = useState(false);
  const [draft, setDraft] = useState<Draft>(audience ? toDraft(audience.definition as Definition) : started(search));
  const [open, setOpen] = useState<{ side: "include" | "exclude"; place: number } | null>(
    audience || search.all ? null : { side: "include", place: 0 },
  );
  const definition = toDefinition(draft);
  const written = complete(draft);
  const asked = useSlow(JSON.stringify(definition), 120);
  const fresh = asked === JSON.stringify(definition);
  const body = { definition: JSON.parse(asked) as Definition, audience: audience?.id ?? null };
  const enabled = written && complete(toDraft(body.definition));
  const preview = useQuery({ ...previewQuery(siteId, body), enabled });
  const growth = useQuery({ ...growthQuery(siteId, body), enabled });
  const examples = useQuery({ ...examplesQuery(siteId, body), enabled });
  const kept = audience && JSON.stringify(toDefinition(toDraft(audience.definition as Definition)));
  const changed = JSON.stringify(definition) !== kept || name !== audience?.name;
  const save = useMutation({
    mutationFn: () => {
      const content = { name, definition, starts_empty: empty };
      return audience
        ? data(
            client.PUT("/api/sites/{site_id}/audiences/{audience_id}", {
              params: { path: { site_id: siteId, audience_id: audience.id } },
              body: content,
            }),
          )
        : data(client.POST("/api/sites/{site_id}/audiences", { params: { path: { site_id: siteId } }, body: content }));
    },
    onSuccess: async (made) => {
      await makeStale(queries, siteId, "audiences", "rail");
      toast(`${made.name} is saved.`);
      await navigate({
        to: "/s/$siteId/audiences/$audienceId",
        params: { siteId: String(siteId), audienceId: String(made.id) },
      });
    },
  });
  const problem = enabled ? (preview.error as Problem | null) : null;
  const error = (field: string) => (problem?.field.endsWith(`.${field}`) ? problem.message : undefined);
  const found = preview.isError ? undefined : preview.data;

  return (
    <>
      <Head
        title={
          <>
            <span className="block font-text text-small font-normal text-quiet">
              <Link to="/s/$siteId/audiences" params={{ siteId: String(siteId) }} className="text-plum underline">
                Audiences
              </Link>
              {audience && ` · version ${audience.version}`}
              {!!audience?.used_by.length && ` · used by ${audience.used_by.join(", ")}`}
            </span>
            {audience?.name ?? "New audience"}
          </>
        }
        actions={
          <>
            {audience && <Uses siteId={siteId} audience={audience} canEdit={site.canEdit} />}
            {site.canEdit && (
              <Button kind="main" disabled={!written || !changed || save.isPending} onClick={() => save.mutate()}>
                Save
              </Button>
            )}
          </>
        }
      />
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)] gap-7 lg:grid-cols-[minmax(0,1fr)_390px]">
        <div className="flex min-w-0 flex-col gap-5">
          <Headline written={enabled} preview={found} growth={growth.data} audience={audience} />
          {problem && (
            <p role="alert" className="border-l-4 border-brick pl-3 text-brick">
              {problem.message}
            </p>
          )}
          <Stairs
            siteId={siteId}
            draft={draft}
            change={setDraft}
            stairs={found?.lines}
            fresh={fresh && !preview.isPlaceholderData}
            canEdit={site.canEdit}
            own={audience?.id}
            error={error}
            open={open}
            setOpen={setOpen}
          />
          {site.canEdit && (
            <div className="grid items-start gap-4 sm:grid-cols-2">
              <Field label="Name" error={fieldError(save.error, "name")} hint="As you would call these people.">
                {(p) => <Input {...p} value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />}
              </Field>
              {!audience && (
                <div className="sm:mt-6">
                  <Checkbox
                    label="Start empty"
                    hint="Only what is received after it is saved counts; else history counts at once."
                    checked={empty}
                    set={setEmpty}
                  />
                </div>
              )}
            </div>
          )}
          <FormProblem problem={save.error} fields={["name"]} />
          {!!found?.advice.length && (
            <ul aria-label="Advice" className="flex flex-col gap-1.5 border-l-4 border-marigold pl-3">
              {found.advice.map((advice) => (
                <li key={advice}>{advice}</li>
              ))}
            </ul>
          )}
          {examples.data && !examples.isError && enabled && <Examples siteId={siteId} found={examples.data} />}
          <Written
            definition={definition}
            canEdit={site.canEdit}
            take={(taken) => {
              setOpen(null);
              setDraft(toDraft(taken));
            }}
          />
        </div>
        {found && enabled ? (
          <Effect
            siteId={siteId}
            preview={found}
            growth={growth.data}
            lengthen={site.canEdit ? (days) => setDraft(lengthened(draft, found.length, days)) : undefined}
          />
        ) : (
          !enabled && <p className="text-quiet">Say what they did: beside it will stand how many that are.</p>
        )}
      </div>
    </>
  );
}

/** The first part that has an age with another one: what the server's curve varies. */
function lengthened(draft: Draft, from: number | null, to: number): Draft {
  const line = draft.include.findIndex((l) => "parts" in l && l.parts.some((p) => isTimed(p.what)));
  const chosen = draft.include[line];
  if (from === null || !chosen || !("parts" in chosen)) return draft;
  const place = chosen.parts.findIndex((p) => isTimed(p.what));
  // Alternatives of one line keep one length, where they have one.
  const alike = chosen.parts.every((p) => p.to === from);
  const parts = chosen.parts.map((p, i) => (i === place || (alike && isTimed(p.what)) ? { ...p, to } : p));
  return { ...draft, include: draft.include.map((l, i) => (i === line ? { parts } : l)) };
}

interface HeadlineProps {
  written: boolean;
  preview: Schemas["AudiencePreviewOut"] | undefined;
  growth: Schemas["GrowthOut"] | undefined;
  audience?: Kept;
}

function Headline({ written, preview, growth, audience }: HeadlineProps) {
  if (!written || !preview)
    return (
      <p className="font-head text-say leading-tight font-semibold text-quiet">
        {written ? "Counting …" : "People who …"}
      </p>
    );
  const recent = growth?.days.slice(-28) ?? [];
  const mean = (of: "entered" | "left") => Math.round(recent.reduce((sum, d) => sum + d[of], 0) / recent.length);
  const { people, enough, floor, change } = preview;
  return (
    <div>
      <p className="font-head text-say leading-tight font-semibold" role="status">
        <span className={ENOUGH[enough].tone}>
          {!preview.exact && "About "}
          {count(people)} {people === 1 ? "person" : "people"}.
        </span>{" "}
        {enough === "not_yet"
          ? "Not yet enough to advertise to."
          : enough === "plenty"
            ? "Plenty to advertise to."
            : "Enough to advertise to."}
      </p>
      <p className="text-quiet">
        {enough === "not_yet" &&
          (growth?.enough_in
            ? `${count(floor)} are needed: at today's growth in ${count(growth.enough_in)} days. `
            : `${count(floor)} are needed. `)}
        {recent.length > 0 && `About ${count(mean("entered"))} come in and ${count(mean("left"))} leave each day. `}
        Exact; a hit counts within seconds.
      </p>
      {audience?.starts_empty_at && <p className="text-quiet">It started empty: only what came since then counts.</p>}
      {change && (change.come > 0 || change.go > 0) && (
        <p className="mt-1 font-medium">
          Saved like this, {count(change.come)} would come in and {count(change.go)} would go.
        </p>
      )}
    </div>
  );
}

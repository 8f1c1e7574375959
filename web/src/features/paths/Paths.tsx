/** Paths: named steps, how many reach each, where the others went, and for whom it is different. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Problem } from "../../api/client";
import { Files } from "../../components/Files";
import { DEVICES, OriginAndDevice, PeopleWord, PeriodWord, Word } from "../../components/LensSentence";
import { Button, Empty, Failed, Field, FormProblem, fieldError, Input, Loading, TextButton } from "../../components/ui";
import { count, words } from "../../lib/format";
import { CHANNELS, lensQuery } from "../../lib/lens";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { useSiteId } from "../../lib/useSiteId";
import { lensChoicesQuery } from "../pages/queries";
import { testsQuery } from "../splits/queries";
import { useKeepLeft } from "./keeping";
import { againstWords, complete, type PathsSearch, type Step, spanOf, stepsOf } from "./model";
import { keptQuery, proposedQuery, reportQuery } from "./queries";
import { blankStep, Steps } from "./Steps";
import { Groups, Headline, PageLink, TwoPaths, Walk } from "./Walk";

const WITHIN: Record<string, string> = {
  visit: "one visit",
  "3600": "an hour",
  "86400": "a day",
  "604800": "a week",
  "2592000": "30 days",
};
const BY: Record<string, string> = {
  none: "nothing",
  device: "device",
  channel: "channel",
  source: "source",
  page: "landing page",
};

export default function Paths() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const search = useSearch({ from: "/s/$siteId/paths" });
  const navigate = useNavigate({ from: "/s/$siteId/paths" });
  const go = (more: Partial<PathsSearch>) => navigate({ search: (now) => ({ ...now, ...more }) });
  const kept = useQuery(keptQuery(siteId));
  const lens = useQuery(lensChoicesQuery(siteId, lensQuery(search)));
  const chosen = kept.data?.find((p) => p.id === search.path);
  const steps: Step[] | undefined = stepsOf(search.steps) ?? chosen?.steps;
  const within = search.steps ? (search.within ?? null) : (chosen?.within ?? search.within ?? null);
  const [writing, setWriting] = useState(false);
  const read = lens.data;

  if (kept.isPending || !read) return <Loading what="paths" />;
  if (kept.isError) return <Failed error={kept.error} retry={kept.refetch} />;
  const take = (path: { id?: number; steps?: Step[]; within?: number | null }) =>
    go({
      path: path.id,
      steps: path.id ? undefined : JSON.stringify(path.steps),
      within: path.within ?? undefined,
    });
  if (!steps)
    return (
      <>
        <header className="border-b-2 border-ink pb-3">
          <h1 className="text-head leading-tight">Paths</h1>
          <p className="mt-1 text-quiet">
            Named steps: how many reach each, and where the others went instead. Or{" "}
            <Link to="/s/$siteId/ways" params={{ siteId: String(siteId) }} className="text-plum underline">
              from one page
            </Link>
            , what comes before and after it. Or what becomes of{" "}
            <Link to="/s/$siteId/forms" params={{ siteId: String(siteId) }} className="text-plum underline">
              forms
            </Link>
            : begun, tried, sent, and the field at which they were left.
          </p>
        </header>
        <div className="mt-5 flex flex-col gap-7">
          {kept.data.length > 0 && (
            <ul className="max-w-xl">
              {kept.data.map((p) => (
                <li key={p.id} className="border-b py-2">
                  <TextButton className="font-semibold" onClick={() => take(p)}>
                    {p.name}
                  </TextButton>{" "}
                  <span className="text-quiet">
                    {p.steps.length} steps, within {WITHIN[p.within ?? "visit"] ?? `${p.within} s`}
                  </span>
                </li>
              ))}
            </ul>
          )}
          {!kept.data.length && !read.conversion && (
            <Empty title="No path yet">
              <p>Name two steps or more: pages, events, conversions.</p>
            </Empty>
          )}
          {read.conversion && (
            <Proposed siteId={siteId} conversion={read.conversion} take={(s) => take({ steps: s })} />
          )}
          <div>
            <Button
              kind="main"
              onClick={() => {
                setWriting(true);
                take({ steps: [blankStep(), read.conversion ? { conversion: read.conversion.id } : blankStep()] });
              }}
            >
              Name the steps
            </Button>
          </div>
        </div>
      </>
    );
  return (
    <Shown
      key={search.path ?? "new"}
      siteId={siteId}
      canEdit={site.canEdit}
      search={search}
      read={read}
      steps={steps}
      within={within}
      name={chosen?.name}
      go={go}
      writing={writing}
      setWriting={setWriting}
    />
  );
}

interface ProposedProps {
  siteId: number;
  conversion: { id: number; name: string };
  take: (steps: Step[]) => void;
}

function Proposed({ siteId, conversion, take }: ProposedProps) {
  const found = useQuery(proposedQuery(siteId, conversion.id));
  if (!found.data?.length) return null;
  return (
    <section>
      <h2 className="text-lead">The most common ways to {words(conversion.name)}, in the last 28 days</h2>
      <ul className="max-w-3xl">
        {found.data.map((p) => (
          <li key={p.says.join()} className="flex items-baseline gap-4 border-b py-2">
            <span className="num w-12 shrink-0 text-right">{count(p.visits)}</span>
            <TextButton className="text-left" onClick={() => take(p.steps)}>
              {p.says.join(", then ")}
            </TextButton>
          </li>
        ))}
      </ul>
    </section>
  );
}

interface ShownProps {
  siteId: number;
  canEdit: boolean;
  search: PathsSearch;
  read: NonNullable<ReturnType<typeof useLens>>;
  steps: Step[];
  within: number | null;
  name?: string;
  go: (more: Partial<PathsSearch>) => void;
  writing: boolean;
  setWriting: (on: boolean) => void;
}

const useLens = (siteId: number, search: PathsSearch) => useQuery(lensChoicesQuery(siteId, search)).data;

function Shown({ siteId, canEdit, search, read, steps, within, name, go, writing, setWriting }: ShownProps) {
  const queries = useQueryClient();
  const [title, setTitle] = useState(name ?? "");
  const { period, origin, device, audience, by } = search;
  const enabled = complete(steps);
  const body = {
    steps,
    within,
    by: within === null ? by : undefined,
    period,
    origin,
    device,
    audience,
    against: againstWords(search, read),
  };
  const report = useQuery({ ...reportQuery(siteId, body), enabled });
  const problem = report.error as Problem | null;
  const error = (place: number, field: string) => {
    const of = problem?.field ?? "";
    const here = `steps[${place}]`;
    return field
      ? of.startsWith(here) && of.endsWith(`.${field}`)
        ? problem?.message
        : undefined
      : of === here
        ? problem?.message
        : undefined;
  };
  const keep = useMutation({
    mutationFn: () => {
      const content = { name: title, steps, within };
      return search.path
        ? data(
            client.PUT("/api/sites/{site_id}/paths/{path_id}", {
              params: { path: { site_id: siteId, path_id: search.path } },
              body: content,
            }),
          )
        : data(client.POST("/api/sites/{site_id}/paths", { params: { path: { site_id: siteId } }, body: content }));
    },
    onSuccess: async (made) => {
      await makeStale(queries, siteId, "paths", "rail");
      setWriting(false);
      toast(`${made.name} is kept.`);
      go({ path: made.id, steps: undefined, within: undefined });
    },
  });
  const remove = useMutation({
    mutationFn: (path: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/paths/{path_id}", { params: { path: { site_id: siteId, path_id: path } } }),
      ),
    onSuccess: async (_, path) => {
      offerUndo(queries, {
        siteId,
        kind: "path",
        id: path,
        says: "The path is deleted. Its steps still stand here.",
        lists: ["paths", "rail"],
      });
      go({ path: undefined, steps: JSON.stringify(steps), within: within ?? undefined });
    },
    onError: (failed) => toast(failed.message),
  });
  const keepLeft = useKeepLeft(siteId);
  const left = (step: number | null) =>
    keepLeft.mutate({ name: title || "Path", steps, within, at: step, days: Math.max(1, spanOf(read)) });
  const kept = useQuery(keptQuery(siteId)).data ?? [];
  const ran = (useQuery(testsQuery(siteId)).data ?? []).filter((t) => t.state !== "draft");
  const bySaid = (value: string) =>
    BY[value] ?? `variant of ${ran.find((t) => `test:${t.id}` === value)?.name ?? "a split test"}`;
  const second = search.against?.startsWith("path:")
    ? kept.find((p) => `path:${p.id}` === search.against)?.name
    : undefined;
  const other = second ? `the path “${second}”` : otherName(search, read);
  const r = enabled ? report.data : undefined;
  const change = (next: Step[]) => go({ steps: JSON.stringify(next), within: within ?? undefined });
  return (
    <>
      <header className="flex flex-wrap items-start justify-between gap-x-6 gap-y-3 border-b-2 border-ink pb-3">
        <div className="min-w-0">
          <p className="text-small text-quiet">
            <TextButton onClick={() => go({ path: undefined, steps: undefined, within: undefined })}>Paths</TextButton>
            {name && ` · ${name}`}
          </p>
          <h1 className="max-w-4xl font-head text-head leading-[1.4] font-normal">
            {steps.length} steps, within{" "}
            <Word
              label="Within"
              text={WITHIN[within ?? "visit"] ?? `${within} s`}
              value={String(within ?? "visit")}
              choices={Object.entries(WITHIN).map(([value, text]) => ({ value, text }))}
              choose={(value) =>
                go({ steps: JSON.stringify(steps), within: value === "visit" ? undefined : Number(value) })
              }
            />
            , <PeriodWord read={read} lens={search} change={go} /> <PeopleWord read={read} change={go} />
            <OriginAndDevice read={read} change={go} />, against{" "}
            <Word
              label="Against"
              text={other ?? "nothing"}
              value={search.against ?? "none"}
              choices={[
                { value: "none", text: "nothing" },
                { value: "before", text: `the ${spanOf(read)} days before` },
                ...DEVICES.slice(1)
                  .filter((d) => d.value !== device)
                  .map((d) => ({ value: `device:${d.value}`, text: d.text, group: "Device" })),
                ...read.channels.map((c) => ({ value: `channel:${c}`, text: CHANNELS[c] ?? c, group: "Channel" })),
                ...read.sources.map((s) => ({ value: `source:${s}`, text: s, group: "Source" })),
                ...read.audiences.map((a) => ({ value: `audience:${a.id}`, text: a.name, group: "People in" })),
                ...kept
                  .filter((p) => p.id !== search.path && (p.within === null) === (within === null))
                  .map((p) => ({ value: `path:${p.id}`, text: p.name, group: "Another path" })),
              ]}
              choose={(value) => go({ against: value === "none" ? undefined : value })}
            />
            .
          </h1>
        </div>
        <div className="flex flex-wrap gap-2">
          {search.path && canEdit && (
            <Button
              kind="against"
              disabled={remove.isPending}
              onClick={() => search.path && remove.mutate(search.path)}
            >
              Delete
            </Button>
          )}
          {search.path && (
            <Files
              path={`/api/sites/${siteId}/paths/${search.path}/report`}
              query={{ period, origin, device, audience }}
            />
          )}
          <Button aria-expanded={writing} onClick={() => setWriting(!writing)}>
            Steps
          </Button>
        </div>
      </header>
      {writing && (
        <section aria-label="Steps" className="mt-4 max-w-3xl border-b pb-5">
          <Steps siteId={siteId} steps={steps} change={change} error={error} />
          {canEdit && (
            <form
              className="mt-4 flex max-w-xl items-start gap-2"
              onSubmit={(e) => {
                e.preventDefault();
                keep.mutate();
              }}
            >
              <div className="flex-1">
                <Field label="Name" error={fieldError(keep.error, "name")}>
                  {(p) => <Input {...p} value={title} maxLength={80} onChange={(e) => setTitle(e.target.value)} />}
                </Field>
              </div>
              <Button type="submit" kind="main" className="mt-[26px]" disabled={!enabled || keep.isPending}>
                Keep this path
              </Button>
            </form>
          )}
          <FormProblem problem={keep.error} fields={["name"]} />
        </section>
      )}
      <div className="mt-4 flex flex-col gap-5">
        {!enabled && <p className="text-quiet">Say what each step is: beside it will stand how many reach it.</p>}
        {enabled && report.isPending && <Loading what="the path" />}
        {enabled && problem && !(writing && problem.field.startsWith("steps[")) && (
          <Failed error={problem} retry={report.refetch} />
        )}
        {r && !report.isError && (
          <>
            {second ? (
              <TwoPaths report={r} other={second} />
            ) : (
              <Headline report={r} here={hereName(search)} other={other} />
            )}
            <Walk
              report={second ? { ...r, against: null } : r}
              other={other}
              keep={canEdit ? left : undefined}
              openPage={(path) => <PageLink siteId={siteId} path={path} />}
            />
            {second && r.against && (
              <section className="border-t pt-3" aria-label={second}>
                <h2 className="mb-2 text-lead">
                  <bdi>{second}</bdi>
                </h2>
                <Walk
                  report={{ ...r, ...r.against, against: null, differences: [] }}
                  openPage={(path) => <PageLink siteId={siteId} path={path} />}
                />
              </section>
            )}
            {canEdit && r.steps.length > 2 && (
              <p>
                <TextButton onClick={() => left(null)} disabled={keepLeft.isPending}>
                  Make an audience for every step
                </TextButton>{" "}
                <span className="text-quiet">
                  Each of people who did the steps up to there, in this order, in as many days as are looked at, and not
                  the next.
                </span>
              </p>
            )}
            {within === null && (
              <section className="border-t pt-3">
                <h2 className="mb-2 text-lead">
                  Side by side, by{" "}
                  <Word
                    label="By"
                    text={bySaid(by ?? "none")}
                    value={by ?? "none"}
                    choices={[
                      ...Object.entries(BY).map(([value, text]) => ({ value, text })),
                      ...ran.map((t) => ({ value: `test:${t.id}`, text: t.name, group: "Variant of" })),
                    ]}
                    choose={(value) => go({ by: value === "none" ? undefined : value })}
                  />
                </h2>
                <Groups report={r} by={bySaid(by ?? "none")} />
                {by?.startsWith("test:") && (
                  <p className="mt-1 text-small text-quiet">
                    Visits from a visitor’s first sight of the variant on. Whether the test is decided, its own screen
                    says.
                  </p>
                )}
              </section>
            )}
          </>
        )}
      </div>
    </>
  );
}

function hereName(search: PathsSearch): string {
  if (search.against === "before") return "These days";
  const name = DEVICES.find((d) => d.value === search.device && d.value !== "any")?.text;
  return name ? name.charAt(0).toUpperCase() + name.slice(1) : "These visits";
}

function otherName(
  search: PathsSearch,
  read: { audiences: { id: number; name: string }[]; first: string; last: string },
) {
  if (!search.against) return undefined;
  if (search.against === "before") return `the ${spanOf(read)} days before`;
  const [kind, name = ""] = search.against.split(/:(.*)/s);
  if (kind === "device") return DEVICES.find((d) => d.value === name)?.text ?? name;
  if (kind === "channel") return CHANNELS[name as keyof typeof CHANNELS] ?? name;
  if (kind === "audience") return read.audiences.find((a) => a.id === Number(name))?.name ?? "that audience";
  return name;
}

/** One plan: written as a sentence with its effect beside it, or read as it runs. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Confirm } from "../../components/Confirm";
import { Button, Empty, Failed, FormProblem, fieldError, Input, Loading } from "../../components/ui";
import { count, money } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { useSiteId } from "../../lib/useSiteId";
import { audiencesQuery } from "../audiences/queries";
import { channelsQuery } from "../channels/queries";
import { conversionsQuery } from "../conversions/queries";
import { Before } from "./Before";
import { Creatives } from "./Creatives";
import { asSent, asWritten, blankCreative, lineWords, type PlanForm, proposedName } from "./model";
import { Often } from "./Often";
import { Outlook } from "./Outlook";
import { type AdPlan, effectQuery, planQuery } from "./queries";
import { Running } from "./Running";
import { Sentence } from "./Sentence";

export default function Plan() {
  const siteId = useSiteId();
  const { planId = "new" } = useParams({ strict: false });
  const id = planId === "new" ? undefined : Number(planId);
  const plan = useQuery({ ...planQuery(siteId, id ?? 0), enabled: id !== undefined });
  const audiences = useQuery(audiencesQuery(siteId));
  const rules = useQuery(conversionsQuery(siteId));
  const channels = useQuery(channelsQuery(siteId));
  const failed = [plan, audiences, rules, channels].find((q) => q.isError);
  if (failed) return <Failed error={failed.error} retry={failed.refetch} />;
  if ((id !== undefined && !plan.data) || !audiences.data || !rules.data || !channels.data)
    return <Loading what="the plan" />;
  if (!id && !channels.data.some((c) => c.plans))
    return (
      <Empty title="First a channel that runs plans.">
        <Link
          to="/s/$siteId/spend"
          params={{ siteId: String(siteId) }}
          search={{ part: "channels" }}
          className="text-plum underline"
        >
          To the channels
        </Link>
      </Empty>
    );
  return (
    <Written
      key={`${planId} ${plan.data?.state}`}
      siteId={siteId}
      plan={plan.data}
      audiences={audiences.data}
      rules={rules.data}
      channels={channels.data}
    />
  );
}

interface Props {
  siteId: number;
  plan: AdPlan | undefined;
  audiences: Schemas["AudienceOut"][];
  rules: Schemas["ConversionOut"][];
  channels: Schemas["AdChannelOut"][];
}

function Written({ siteId, plan, audiences, rules, channels }: Props) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const creatives = useRef<HTMLElement>(null);
  const usual = rules.find((r) => r.category === "purchase" && r.value != null) ?? rules[0];
  const first = () => asWritten(plan, channels.find((c) => c.plans)?.id ?? 0, usual?.id ?? 0);
  const [form, setForm] = useState(first);
  const [began, setBegan] = useState(first);
  const change = (part: Partial<PlanForm>) => setForm((now) => ({ ...now, ...part }));
  const state = plan?.state ?? "draft";
  const running = state === "running";
  const aim = rules.find((r) => r.id === form.aim);
  const channel = channels.find((c) => c.id === form.channel);
  const name = form.name.trim() || proposedName(form, aim?.name ?? "plan", audiences);
  const body = asSent(form, name);
  const changed = JSON.stringify(form) !== JSON.stringify(began);

  const path = { site_id: siteId, plan_id: plan?.id ?? 0 };
  const fresh = () => makeStale(queries, siteId, "plans", "rail", "channels", "uses");
  const keep = () =>
    plan
      ? data(client.PUT("/api/sites/{site_id}/plans/{plan_id}", { params: { path }, body }))
      : data(client.POST("/api/sites/{site_id}/plans", { params: { path: { site_id: siteId } }, body }));
  const open = (made: AdPlan) =>
    navigate({ to: "/s/$siteId/plans/$planId", params: { siteId: String(siteId), planId: String(made.id) } });
  const save = useMutation({
    mutationFn: keep,
    onSuccess: async (made) => {
      setBegan(form);
      await fresh();
      toast(
        made.state === "running"
          ? made.waits
            ? "It is written down. The network is away, and hears of it as soon as it can be reached."
            : "Saved. The changes apply from now on."
          : "The draft is saved. Nothing is shown before you start it.",
      );
      await open(made);
    },
  });
  const begin = useMutation({
    mutationFn: async () => {
      const made = await keep();
      return data(
        client.POST("/api/sites/{site_id}/plans/{plan_id}/start", {
          params: { path: { site_id: siteId, plan_id: made.id } },
        }),
      );
    },
    onSuccess: async (made) => {
      await fresh();
      toast(
        made.waits
          ? "It begins as soon as the network can be reached."
          : "It runs. What it costs and brings stands here as it comes.",
      );
      await open(made);
    },
    // What was kept stays a draft.
    onError: fresh,
  });
  const end = useMutation({
    mutationFn: () => data(client.POST("/api/sites/{site_id}/plans/{plan_id}/end", { params: { path } })),
    onSuccess: async () => {
      await fresh();
      toast("The plan has ended.");
    },
    onError: (error) => toast.error(error.message),
  });
  const copy = useMutation({
    mutationFn: () => data(client.POST("/api/sites/{site_id}/plans/{plan_id}/copy", { params: { path } })),
    onSuccess: async (made) => {
      await fresh();
      toast("Duplicated as a draft.");
      await open(made);
    },
    onError: (error) => toast.error(error.message),
  });
  const remove = useMutation({
    mutationFn: () => data(client.DELETE("/api/sites/{site_id}/plans/{plan_id}", { params: { path } })),
    onSuccess: async () => {
      await navigate({ to: "/s/$siteId/plans", params: { siteId: String(siteId) } });
      await fresh();
      if (plan)
        offerUndo(queries, {
          siteId,
          kind: "plan",
          id: plan.id,
          says: `${plan.name} is deleted.`,
          lists: ["plans", "rail"],
        });
    },
    onError: (error) => toast.error(error.message),
  });

  // Typed words change nothing of what it may bring, so they are not waited for.
  const complete = form.creatives.filter((c) => c.headline.trim() && c.landing.trim());
  const asked = state === "draft" || changed ? { ...body, name: "effect", creatives: complete } : undefined;
  const [toAsk, setToAsk] = useState(asked);
  const key = JSON.stringify(asked);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key is what is asked
  useEffect(() => {
    const timer = setTimeout(() => setToAsk(asked), 300);
    return () => clearTimeout(timer);
  }, [key]);
  const effect = useQuery(effectQuery(siteId, plan?.id, toAsk));
  const problem = save.error ?? begin.error ?? effect.error;
  const wrong = (field: string) => fieldError(problem, field);
  const inForm = [
    "name",
    ...(problem && "field" in problem && /^creatives/.test(String(problem.field)) ? [String(problem.field)] : []),
  ];
  const showCreatives = () => {
    if (!form.creatives.length) change({ creatives: [blankCreative()] });
    creatives.current?.scrollIntoView({ block: "nearest" });
    creatives.current?.focus();
  };

  return (
    <>
      <header className="border-b-2 border-ink pb-3">
        <div className="mb-1 flex flex-wrap items-start justify-between gap-x-6 gap-y-2">
          <p className="text-small text-quiet">
            <Link to="/s/$siteId/plans" params={{ siteId: String(siteId) }} className="text-plum underline">
              Plans
            </Link>{" "}
            · {plan ? <>{plan.name} · </> : null}
            {state} · on {channel?.name ?? "a channel"}
            {channel?.simulation && ", a simulation"}
          </p>
          {site.canEdit && (
            <div className="flex flex-wrap gap-2">
              {state === "draft" && (
                <>
                  {plan && (
                    <Confirm name="Delete the draft" act={() => remove.mutate()}>
                      The draft “{plan.name}” is deleted for good. Nothing of it has been shown.
                    </Confirm>
                  )}
                  <Button onClick={() => save.mutate()} disabled={save.isPending}>
                    Save the draft
                  </Button>
                  <Confirm name="Start the plan" kind="main" disabled={begin.isPending} act={() => begin.mutate()}>
                    {channel?.name ?? "The channel"} shows the ads from now on and spends up to{" "}
                    {money(form.dailyBudget || "0", site.currency)} a day until you end the plan.
                  </Confirm>
                </>
              )}
              {running && (
                <>
                  {changed && (
                    <>
                      <Button onClick={() => setForm(began)}>As it was</Button>
                      <Button kind="main" onClick={() => save.mutate()} disabled={save.isPending}>
                        Save changes
                      </Button>
                    </>
                  )}
                  <Button onClick={() => copy.mutate()}>Duplicate</Button>
                  <Confirm name="End the plan" kind="against" act={() => end.mutate()}>
                    The ads are not shown any more, and it spends nothing further. Its results stay. An ended plan
                    cannot be started again; duplicate it instead.
                  </Confirm>
                </>
              )}
              {state === "ended" && <Button onClick={() => copy.mutate()}>Duplicate</Button>}
            </div>
          )}
        </div>
        <fieldset disabled={!site.canEdit || state === "ended"} className="contents">
          <Sentence
            siteId={siteId}
            form={form}
            change={change}
            audiences={audiences}
            rules={rules}
            channels={channels}
            currency={site.currency}
            running={state !== "draft"}
            toCreatives={showCreatives}
          />
        </fieldset>
        {plan?.waits && (
          <p role="status" className="mt-2 border-l-4 border-marigold pl-3">
            The network has not heard of the last change yet: {plan.failure || "it is told in a moment."} It is tried
            again by itself.
          </p>
        )}
        <FormProblem problem={problem} fields={inForm} />
      </header>
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)] items-start gap-x-7 gap-y-6 lg:grid-cols-[minmax(0,1.12fr)_minmax(0,1fr)]">
        <div className="flex min-w-0 flex-col gap-5">
          {state === "draft" && (
            <Name
              form={form}
              change={change}
              proposed={proposedName(form, aim?.name ?? "plan", audiences)}
              error={wrong("name")}
            />
          )}
          {toAsk && effect.isPending && <Loading what="what it may bring" />}
          {effect.data && toAsk && (
            <div aria-busy={effect.isFetching} className="flex flex-col gap-5">
              <Reach effect={effect.data} form={form} audiences={audiences} />
              <Before effect={effect.data} audiences={audiences} currency={site.currency} form={form} change={change} />
              <Often often={effect.data.often} title="How often one person will see it, first week" />
            </div>
          )}
        </div>
        <div className="flex min-w-0 flex-col gap-5">
          {toAsk && effect.data && (
            <Outlook effect={effect.data} aim={aim?.name ?? "conversion"} currency={site.currency} />
          )}
          {toAsk && effect.data?.away && (
            <p role="status" className="border-l-4 border-marigold pl-3">
              No practice weeks now: {effect.data.away}
            </p>
          )}
          {toAsk && effect.data && !effect.data.outlook && !effect.data.away && (
            <p className="text-quiet">
              Say to whom what is shown: then what a week may bring stands here, from practice weeks and your own past.
            </p>
          )}
          {state === "draft" && (
            <Creatives
              siteId={siteId}
              form={form}
              change={change}
              canEdit={site.canEdit}
              fixed={0}
              problem={wrong}
              top={creatives}
            />
          )}
        </div>
      </div>
      {plan && state !== "draft" && (
        <>
          <Running siteId={siteId} plan={plan} currency={site.currency} />
          <div className="mt-6">
            <Creatives
              siteId={siteId}
              form={form}
              change={change}
              canEdit={site.canEdit && running}
              fixed={plan.creatives.length}
              problem={wrong}
              top={creatives}
            />
          </div>
        </>
      )}
    </>
  );
}

function Name({
  form,
  change,
  proposed,
  error,
}: {
  form: PlanForm;
  change: (part: Partial<PlanForm>) => void;
  proposed: string;
  error: string | undefined;
}) {
  return (
    <div className="flex flex-col gap-1">
      <div className="flex items-center gap-3 font-medium">
        <label htmlFor="plan-name">Name</label>
        <Input
          id="plan-name"
          maxLength={80}
          placeholder={proposed}
          aria-invalid={Boolean(error)}
          value={form.name}
          onChange={(e) => change({ name: e.target.value })}
        />
      </div>
      {error && (
        <p role="alert" className="text-small text-brick">
          {error}
        </p>
      )}
    </div>
  );
}

/** How many people each line has, and how many of them the network may know. */
function Reach({
  effect,
  form,
  audiences,
}: {
  effect: Schemas["PlanEffectOut"];
  form: PlanForm;
  audiences: Schemas["AudienceOut"][];
}) {
  if (!effect.lines.length) return null;
  const known = effect.lines.reduce((sum, l) => sum + l.known, 0);
  const mine = effect.lines.filter((_, at) => form.lines[at]?.audience);
  const said = mine.reduce((sum, l) => sum + l.identities, 0);
  const own = mine.reduce((sum, l) => sum + l.known, 0);
  return (
    <section aria-label="People">
      <p>
        {effect.rough && "About "}
        <strong className="num font-semibold">{count(known)}</strong> people can be shown it
        {effect.people > 0 && (
          <>
            : of {count(effect.people)} of your own, {effect.rough && "about "}
            {count(said)} identities may be sent (people who have said who they are), and the network knows{" "}
            {Math.round(100 * (own / Math.max(1, said)))} of 100 of those
            {effect.told ? "" : ", as usual; it has not said so yet"}
            {known > own && <>; {count(known - own)} are new</>}
          </>
        )}
        .
      </p>
      {effect.lines.length > 1 && (
        <ul className="mt-1 text-small text-quiet">
          {effect.lines.map((l, at) => {
            const line = form.lines[at];
            return (
              <li key={l.key}>
                {line ? lineWords(line, audiences) : l.key}: {count(l.known)}
                {line?.audience ? ` of ${count(l.people)}` : ""}
              </li>
            );
          })}
        </ul>
      )}
    </section>
  );
}

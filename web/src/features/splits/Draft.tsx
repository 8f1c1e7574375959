/** A test before it runs: its pages and its measure on the left, what it takes to find a difference on the right. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { KnownPages } from "../../components/KnownPages";
import {
  Button,
  Empty,
  Field,
  FormProblem,
  fieldError,
  Head,
  Input,
  Letter,
  Loading,
  Select,
} from "../../components/ui";
import { several } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { conversionsQuery } from "../conversions/queries";
import { begun, blank, type Change, Changes, filled } from "./Changes";
import { type Measure, MeasuresIn } from "./MeasuresIn";
import { MorePages, type Where } from "./MorePages";
import { PlanEffect } from "./PlanEffect";
import { planQuery } from "./queries";
import { AT_ONCE, EVERYBODY, type Moment, type Who, WhoIsIn, written } from "./WhoIsIn";

type TestIn = Schemas["SplitTestIn"];
type Test = Schemas["SplitTestOut"];
const LETTERS = "ABCDEFGH";

interface Written {
  name: string;
  notes: string;
  who: Who;
  beside: TestIn["beside"];
  measures: Measure[];
  moment: Moment;
  pages: Where[];
  conversion: number;
  what: "address" | "content";
  addresses: string[];
  /** Of the page itself: what each variant changes; the first is the control, which changes nothing. */
  changes: Change[][];
  shares: number[];
  traffic: number;
  /** Of those in it, shown no variant. */
  heldOut: number;
  /** In per cent, as typed; empty: as recorded. */
  baseline: string;
  lift: string;
}

function evenShares(n: number) {
  const share = Math.floor(100 / n);
  return Array.from({ length: n }, (_, i) => (i === 0 ? 100 - share * (n - 1) : share));
}

function asWritten(test: Test | undefined, conversion: number): Written {
  if (!test)
    return {
      name: "",
      notes: "",
      who: EVERYBODY,
      beside: "",
      measures: [],
      moment: AT_ONCE,
      pages: [],
      conversion,
      what: "address",
      addresses: ["", ""],
      changes: [[], [blank()]],
      shares: [50, 50],
      traffic: 100,
      heldOut: 0,
      baseline: "",
      lift: "20",
    };
  return {
    name: test.name,
    notes: test.notes,
    who: { ...EVERYBODY, ...test.who },
    beside: test.beside,
    moment: { ...AT_ONCE, ...test.moment },
    pages: test.pages,
    measures: test.measures.map((m) => ({
      conversion: null,
      guard: false,
      margin: 0,
      lower_is_better: m.what === "bounce",
      ...m,
    })),
    conversion: test.conversion,
    what: test.what,
    addresses: test.variants.map((v) => v.host + v.path),
    changes: test.what === "content" ? test.variants.map((v) => v.changes) : [[], [blank()]],
    shares: test.variants.map((v) => v.share),
    traffic: test.traffic,
    heldOut: test.held_out,
    baseline: String(+(test.baseline * 100).toFixed(4)),
    lift: String(+(test.smallest_lift * 100).toFixed(4)),
  };
}

interface Props {
  siteId: number;
  test?: Test;
  close: () => void;
}

export function Draft({ siteId, test, close }: Props) {
  const rules = useQuery(conversionsQuery(siteId));
  if (rules.isPending) return <Loading what="the conversions" />;
  if (!rules.data?.length)
    return (
      <Empty title="First say what counts.">
        <p>A test is judged by a conversion, and this site has none yet. Make one under Conversions, then come back.</p>
        <Button onClick={close}>Back</Button>
      </Empty>
    );
  return <Form siteId={siteId} test={test} rules={rules.data} close={close} />;
}

function Form({ siteId, test, rules, close }: Props & { rules: Schemas["ConversionOut"][] }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  // The lens begins with a purchase, too.
  const usual = rules.find((r) => r.category === "purchase" && r.value != null) ?? rules[0];
  const [form, setForm] = useState(() => asWritten(test, usual?.id ?? 0));
  const change = (part: Partial<Written>) => setForm((now) => ({ ...now, ...part }));
  const path = { site_id: siteId };
  const ofContent = form.what === "content";
  const body = (baseline: number): TestIn => ({
    name: form.name,
    notes: form.notes,
    ends_on: test?.ends_on ?? null,
    ends_decided: test?.ends_decided ?? false,
    ends_on_harm: test?.ends_on_harm ?? false,
    who: ofContent ? written(form.who) : { ...written(form.who), audience: null },
    beside: form.beside,
    measures: form.measures,
    moment: ofContent ? form.moment : AT_ONCE,
    pages: ofContent ? form.pages.filter((p) => p.value.trim()) : [],
    conversion: form.conversion,
    what: form.what,
    addresses: ofContent ? form.addresses.slice(0, 1) : form.addresses,
    changes: ofContent ? form.changes.map((some) => some.filter(begun).map(filled)) : [],
    shares: form.shares,
    traffic: form.traffic,
    held_out: form.heldOut,
    baseline,
    smallest_lift: Number(form.lift) / 100,
  });
  const needed = ofContent ? form.addresses.slice(0, 1) : form.addresses;
  const complete = needed.every((a) => a.trim()) && Number(form.lift) > 0;
  const typed = Number(form.baseline) / 100;
  const [asked, setAsked] = useState<TestIn>();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the body is made of the form
  useEffect(() => {
    const timer = setTimeout(() => setAsked(complete ? body(typed || 0.03) : undefined), 250);
    return () => clearTimeout(timer);
  }, [form]);
  const plan = useQuery(planQuery(siteId, asked));
  const found = plan.data;
  const recorded =
    found && found.recorded_converted >= 5 ? found.recorded_converted / found.recorded_visitors : undefined;
  // The recorded rate is taken up until somebody writes another.
  useEffect(() => {
    if (recorded !== undefined && form.baseline === "") change({ baseline: String(+(recorded * 100).toFixed(2)) });
  });
  const save = useMutation({
    mutationFn: () =>
      test
        ? data(
            client.PUT("/api/sites/{site_id}/tests/{test_id}", {
              params: { path: { ...path, test_id: test.id } },
              body: body(typed),
            }),
          )
        : data(client.POST("/api/sites/{site_id}/tests", { params: { path }, body: body(typed) })),
    onSuccess: async (made) => {
      await makeStale(queries, siteId, "tests", "rail");
      toast("The draft is saved. Nobody sees it before you start it.");
      close();
      await navigate({ to: "/s/$siteId/tests/$testId", params: { siteId: String(siteId), testId: String(made.id) } });
    },
  });
  const error = (name: string) => fieldError(save.error, name) ?? fieldError(plan.error, name);
  const fields = [
    "name",
    "traffic",
    "held_out",
    "baseline",
    "smallest_lift",
    "shares",
    ...form.addresses.map((_, i) => `addresses.${i}`),
    // What is wrong with a change, or with who is in it, stands beside it.
    ...(save.error &&
    "field" in save.error &&
    /^(changes\.|who|beside|measures|moment|pages)/.test(String(save.error.field))
      ? [String(save.error.field)]
      : []),
  ];
  const resize = (addresses: string[]) => change({ addresses, shares: evenShares(addresses.length) });
  const resizeChanges = (changes: Change[][]) => change({ changes, shares: evenShares(changes.length) });
  const choose = (what: Written["what"]) =>
    change({ what, shares: evenShares(what === "content" ? form.changes.length : form.addresses.length) });

  return (
    <>
      <Head
        title={test ? test.name : "New split test"}
        lead={
          ofContent
            ? "A is the page as it is; its visitors are assigned at random."
            : "The first page is the control; its visitors are assigned at random."
        }
      />
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)] items-start gap-6 lg:grid-cols-[420px_minmax(0,1fr)]">
        <form
          className="flex flex-col gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            save.mutate();
          }}
        >
          <Field label="Name" hint="Say what is different, so that it is still clear in a year." error={error("name")}>
            {(p) => <Input {...p} value={form.name} onChange={(e) => change({ name: e.target.value })} required />}
          </Field>
          <Field label="Judged by">
            {(p) => (
              <Select {...p} value={form.conversion} onChange={(e) => change({ conversion: Number(e.target.value) })}>
                {rules.map((r) => (
                  <option key={r.id} value={r.id}>
                    {several(r.name)}
                  </option>
                ))}
              </Select>
            )}
          </Field>
          <Field label="What differs">
            {(p) => (
              <Select {...p} value={form.what} onChange={(e) => choose(e.target.value as Written["what"])}>
                <option value="address">the address that visitors are sent to</option>
                <option value="content">something on the page itself</option>
              </Select>
            )}
          </Field>
          {ofContent && (
            <ContentFields siteId={siteId} form={form} change={change} resize={resizeChanges} error={error} />
          )}
          {!ofContent && (
            <fieldset className="flex flex-col gap-2 rounded-box border bg-surface p-3">
              <legend className="px-1 font-medium">Pages and their shares</legend>
              {form.addresses.map((address, i) => (
                <div key={LETTERS[i]} className="flex items-start gap-2">
                  <span className="pt-2">
                    <Letter letter={LETTERS[i] ?? ""} />
                  </span>
                  <div className="min-w-0 flex-1">
                    <Input
                      aria-label={i === 0 ? "Address of the control" : `Address of challenger ${LETTERS[i]}`}
                      aria-invalid={Boolean(error(`addresses.${i}`))}
                      className="num"
                      list="known-pages"
                      placeholder={i === 0 ? "/the-page-as-it-is" : "/the-other-page"}
                      value={address}
                      onChange={(e) =>
                        change({ addresses: form.addresses.map((a, j) => (j === i ? e.target.value : a)) })
                      }
                      required
                    />
                    {error(`addresses.${i}`) && (
                      <p role="alert" className="text-small text-brick">
                        {error(`addresses.${i}`)}
                      </p>
                    )}
                  </div>
                  <Share place={i} form={form} change={change} />
                  {form.addresses.length > 2 && i > 0 && (
                    <Button
                      kind="quiet"
                      aria-label={`Leave ${LETTERS[i]} out`}
                      onClick={() => resize(form.addresses.filter((_, j) => j !== i))}
                    >
                      out
                    </Button>
                  )}
                </div>
              ))}
              {error("shares") && (
                <p role="alert" className="text-small text-brick">
                  {error("shares")}
                </p>
              )}
              {form.addresses.length < LETTERS.length && (
                <Button kind="quiet" className="self-start" onClick={() => resize([...form.addresses, ""])}>
                  One more challenger
                </Button>
              )}
            </fieldset>
          )}
          <KnownPages siteId={siteId} />
          <div className="grid grid-cols-2 gap-3">
            <Percentage
              label="Rate today, %"
              error={error("baseline")}
              min={0.01}
              max={99}
              value={form.baseline}
              change={(baseline) => change({ baseline })}
            />
            <Percentage
              label="Worth finding, +%"
              error={error("smallest_lift")}
              min={1}
              value={form.lift}
              change={(lift) => change({ lift })}
            />
            <Percentage
              label="In the test, %"
              error={error("traffic")}
              min={1}
              max={100}
              value={String(form.traffic)}
              change={(traffic) => change({ traffic: Number(traffic) })}
            />
            <Percentage
              label="Of those held out, %"
              hint="Shown no variant, measured all the same."
              error={error("held_out")}
              min={0}
              max={50}
              value={String(form.heldOut)}
              change={(heldOut) => change({ heldOut: Number(heldOut) })}
            />
          </div>
          <WhoIsIn
            siteId={siteId}
            who={form.who}
            set={(who) => change({ who })}
            beside={form.beside ?? ""}
            setBeside={(beside) => change({ beside })}
            moment={ofContent ? form.moment : undefined}
            setMoment={(moment) => change({ moment })}
            error={error}
          />
          <MeasuresIn measures={form.measures} set={(measures) => change({ measures })} rules={rules} error={error} />
          <Field label="Notes" hint="Why it is made: found again by the search in the list.">
            {(p) => (
              <textarea
                {...p}
                rows={2}
                className="w-full rounded-box border border-quiet/50 bg-surface px-2.5 py-1.5"
                value={form.notes}
                onChange={(e) => change({ notes: e.target.value })}
              />
            )}
          </Field>
          <FormProblem problem={save.error} fields={fields} />
          <div className="flex gap-2">
            <Button type="submit" kind="main" disabled={save.isPending}>
              Save the draft
            </Button>
            <Button onClick={close}>Cancel</Button>
          </div>
        </form>
        <PlanEffect plan={plan.isError ? undefined : found} complete={complete} written={form} problem={plan.error} />
      </div>
    </>
  );
}

interface ShareProps {
  place: number;
  form: Written;
  change: (part: Partial<Written>) => void;
}

function Share({ place, form, change }: ShareProps) {
  return (
    <Input
      aria-label={`Share of ${LETTERS[place]} in per cent`}
      type="number"
      min={1}
      max={99}
      className="num w-16!"
      value={form.shares[place]}
      onChange={(e) => change({ shares: form.shares.map((s, j) => (j === place ? Number(e.target.value) : s)) })}
      required
    />
  );
}

interface ContentProps {
  siteId: number;
  form: Written;
  change: (part: Partial<Written>) => void;
  resize: (changes: Change[][]) => void;
  error: (name: string) => string | undefined;
}

/** The one page, and what each variant changes on it. */
function ContentFields({ siteId, form, change, resize, error }: ContentProps) {
  return (
    <>
      <Field label="Page" error={error("addresses.0")}>
        {(p) => (
          <Input
            {...p}
            className="num"
            list="known-pages"
            placeholder="/the-page"
            value={form.addresses[0] ?? ""}
            onChange={(e) => change({ addresses: [e.target.value, ...form.addresses.slice(1)] })}
            required
          />
        )}
      </Field>
      <MorePages pages={form.pages} set={(pages) => change({ pages })} error={error} />
      {error("shares") && (
        <p role="alert" className="text-small text-brick">
          {error("shares")}
        </p>
      )}
      {form.changes.map((some, i) => (
        <fieldset key={LETTERS[i]} className="flex flex-col gap-3 rounded-box border bg-surface p-3">
          <legend className="sr-only">Variant {LETTERS[i]}</legend>
          <div className="flex items-center gap-2">
            <Letter letter={LETTERS[i] ?? ""} />
            <span className="flex-1">{i === 0 ? "the page as it is" : "the same page, changed"}</span>
            <Share place={i} form={form} change={change} />
            {form.changes.length > 2 && i > 0 && (
              <Button
                kind="quiet"
                aria-label={`Leave ${LETTERS[i]} out`}
                onClick={() => resize(form.changes.filter((_, j) => j !== i))}
              >
                out
              </Button>
            )}
          </div>
          {i > 0 && (
            <p className="text-small text-quiet">
              Write it here, or leave it empty and write it on the page itself once the draft is saved.
            </p>
          )}
          {i > 0 && (
            <Changes
              siteId={siteId}
              letter={LETTERS[i] ?? ""}
              changes={some}
              change={(next) => change({ changes: form.changes.map((c, j) => (j === i ? next : c)) })}
              error={(behind) => error(`changes.${i}${behind}`)}
            />
          )}
        </fieldset>
      ))}
      {form.changes.length < LETTERS.length && (
        <Button kind="quiet" className="self-start" onClick={() => resize([...form.changes, [blank()]])}>
          One more challenger
        </Button>
      )}
    </>
  );
}

interface PercentageProps {
  label: string;
  hint?: string;
  error?: string;
  min: number;
  max?: number;
  value: string;
  change: (value: string) => void;
}

function Percentage({ label, hint, error, min, max, value, change }: PercentageProps) {
  return (
    <Field label={label} hint={hint} error={error}>
      {(p) => (
        <Input
          {...p}
          className="num"
          type="number"
          step="any"
          min={min}
          max={max}
          value={value}
          onChange={(e) => change(e.target.value)}
          required
        />
      )}
    </Field>
  );
}

/** One conversion: the rule on the left, what it would have caught on the right, while it is written. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { useSite } from "../../app/session";
import { words } from "../../parts/format";
import { KnownPages } from "../../parts/KnownPages";
import { Button, Field, FormProblem, fieldError, Head, Input, Select } from "../../parts/ui";
import { CATEGORIES, COUNTINGS, type Conversion } from "./Conversions";
import { Effect } from "./Effect";
import { Versions } from "./Versions";

type Draft = Schemas["ConversionIn"];
const MATCHES: Record<Draft["rule"]["page"]["match"], string> = {
  equals: "is exactly",
  begins: "begins with",
  contains: "contains",
  pattern: "fits the pattern",
};
const HINTS: Record<Draft["rule"]["page"]["match"], string> = {
  equals: "Also met with campaign parameters behind it: they never make another page.",
  begins: "Everything below it counts as well.",
  contains: "Look at the right: an article may have the same words in its address.",
  pattern: "A regular expression, held against host and path, for example /thank-you/\\w+$",
};
const FIELDS = ["name", "category", "match", "value", "counting", "rule"];

function useSlow<T>(value: T, wait: number) {
  const [slow, setSlow] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSlow(value), wait);
    return () => clearTimeout(timer);
  }, [value, wait]);
  return useDeferredValue(slow);
}

interface Props {
  siteId: number;
  rule?: Conversion;
  close: () => void;
}

export function Editor({ siteId, rule, close }: Props) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [draft, setDraft] = useState<Draft>(
    (rule && { ...rule, value: rule.value == null ? null : String(Number(rule.value)) }) ?? {
      name: "",
      category: "lead",
      counting: "visit",
      value: null,
      rule: { page: { match: "equals", value: "" } },
    },
  );
  const [days, setDays] = useState(28);
  const change = (part: Partial<Draft>) => setDraft({ ...draft, ...part });
  const page = draft.rule.page;
  const asked = useSlow({ page, counting: draft.counting, days }, 200);
  const preview = useQuery({
    queryKey: ["preview", siteId, asked],
    queryFn: () =>
      data(
        client.POST("/api/sites/{site_id}/conversions/preview", {
          params: { path: { site_id: siteId } },
          body: { rule: { page: asked.page }, counting: asked.counting, days: asked.days },
        }),
      ),
    enabled: asked.page.value.trim() !== "",
    placeholderData: (before) => before,
    retry: false,
  });
  const save = useMutation({
    mutationFn: () => {
      const { name, category, counting, value, rule: language } = draft;
      const body = { name, category, counting, value, rule: language };
      const path = { site_id: siteId };
      return rule
        ? data(
            client.PUT("/api/sites/{site_id}/conversions/{rule_id}", {
              params: { path: { ...path, rule_id: rule.id } },
              body,
            }),
          )
        : data(client.POST("/api/sites/{site_id}/conversions", { params: { path }, body }));
    },
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["conversions", siteId] });
      toast(`${words(made.name)} is saved and being counted back to the first hit.`);
      close();
    },
  });
  // The rule's own mistakes show while it is written; the server's word on the rest when it is saved.
  const error = (name: string) => fieldError(save.error, name) ?? fieldError(preview.error, name);
  const suggestion = proposedName(page.value, draft.category);

  return (
    <>
      <Head
        title={rule ? words(rule.name) : "New conversion"}
        lead="Write the rule; beside it stands what it would have caught."
        actions={<Button onClick={close}>Back to all</Button>}
      />
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)] items-start gap-6 lg:grid-cols-[380px_minmax(0,1fr)]">
        <form
          className="flex flex-col gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            save.mutate();
          }}
        >
          <fieldset disabled={!site.canEdit} className="contents">
            <fieldset className="flex flex-col gap-3 rounded-box border bg-surface p-3">
              <legend className="px-1 font-medium">A page is reached whose address</legend>
              <Select
                aria-label="How the address is compared"
                value={page.match}
                onChange={(e) => change({ rule: { page: { ...page, match: e.target.value as typeof page.match } } })}
              >
                {Object.entries(MATCHES).map(([match, text]) => (
                  <option key={match} value={match}>
                    {text}
                  </option>
                ))}
              </Select>
              <Field label="Address" hint={HINTS[page.match]} error={error("value") ?? error("match") ?? error("rule")}>
                {(p) => (
                  <Input
                    {...p}
                    className="num"
                    list="known-pages"
                    placeholder="/thank-you"
                    value={page.value}
                    onChange={(e) => change({ rule: { page: { ...page, value: e.target.value } } })}
                    required
                  />
                )}
              </Field>
              <KnownPages siteId={siteId} />
            </fieldset>
            <Field
              label="Name"
              hint={
                suggestion && !draft.name ? (
                  <>
                    Small letters, digits and underscores.{" "}
                    <button type="button" className="text-plum underline" onClick={() => change({ name: suggestion })}>
                      Call it {suggestion}
                    </button>
                  </>
                ) : (
                  "Small letters, digits and underscores; one that is still clear in a year."
                )
              }
              error={error("name")}
            >
              {(p) => (
                <Input
                  {...p}
                  className="num"
                  placeholder="starter_kit_order"
                  value={draft.name}
                  onChange={(e) => change({ name: e.target.value })}
                  required
                />
              )}
            </Field>
            <div className="grid grid-cols-2 gap-3">
              <Field label="Kind" error={error("category")}>
                {(p) => (
                  <Select
                    {...p}
                    value={draft.category}
                    onChange={(e) => change({ category: e.target.value as Draft["category"] })}
                  >
                    {Object.entries(CATEGORIES).map(([category, text]) => (
                      <option key={category} value={category}>
                        {text}
                      </option>
                    ))}
                  </Select>
                )}
              </Field>
              <Field label="Counted" error={error("counting")}>
                {(p) => (
                  <Select
                    {...p}
                    value={draft.counting}
                    onChange={(e) => change({ counting: e.target.value as Draft["counting"] })}
                  >
                    {Object.entries(COUNTINGS).map(([counting, text]) => (
                      <option key={counting} value={counting}>
                        {text}
                      </option>
                    ))}
                  </Select>
                )}
              </Field>
            </div>
            <Field
              label={`Worth each, in ${site.currency}`}
              hint="Leave it empty when a conversion has no value."
              error={fieldError(save.error, "value") && error("value")}
            >
              {(p) => (
                <Input
                  {...p}
                  type="number"
                  min="0"
                  step="0.01"
                  className="num"
                  value={draft.value ?? ""}
                  onChange={(e) => change({ value: e.target.value === "" ? null : e.target.value })}
                />
              )}
            </Field>
            <FormProblem problem={save.error} fields={FIELDS} />
            {site.canEdit ? (
              <div className="flex gap-2">
                <Button type="submit" kind="main" disabled={save.isPending || preview.isError}>
                  {rule ? "Save and count back again" : "Save and count it back"}
                </Button>
                <Button onClick={close}>Leave it</Button>
              </div>
            ) : (
              <p className="text-quiet">Your role lets you look at this, not change it.</p>
            )}
          </fieldset>
          {rule && <Versions siteId={siteId} rule={rule} use={(content) => setDraft(content)} />}
        </form>
        <Effect
          written={page.value.trim() !== ""}
          preview={preview.isError ? undefined : preview.data}
          days={days}
          setDays={setDays}
          pick={(path) => change({ rule: { page: { match: "equals", value: path } } })}
        />
      </div>
    </>
  );
}

/** From "/order/thank-you" and purchase: order_purchase. Words that say only "done" are left out. */
function proposedName(address: string, category: Draft["category"]) {
  const done = new Set([
    "thank",
    "you",
    "thanks",
    "done",
    "success",
    "confirmed",
    "confirmation",
    "complete",
    "html",
    "php",
  ]);
  const parts = address
    .replace(/^.*?:\/\/[^/]*/, "")
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter((word) => word && !done.has(word));
  const kind = { lead: "lead", signup: "signup", purchase: "order", booking: "booking", other: "reached" }[category];
  const name = [...parts.filter((word) => word !== kind), kind].join("_");
  return parts.length && /^[a-z][a-z0-9_]{1,59}$/.test(name) ? name : "";
}

/** One conversion: the rule on the left, what it would have caught on the right, while it is written. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Button, Field, FormProblem, fieldError, Head, Input, Select, TextButton } from "../../components/ui";
import { words } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale, REPORTS } from "../../lib/stale";
import { Builder } from "./builder/Builder";
import { complete } from "./builder/conditions";
import { asGroup, type Group, type Rule, simplified } from "./builder/rule";
import { Effect } from "./Effect";
import { CATEGORIES, COUNTINGS, type Conversion, type Draft } from "./model";
import { previewQuery } from "./queries";
import { Versions } from "./Versions";
import { LIMITS, Worth } from "./Worth";

const RULE_FIELDS = ["value", "match", "rule", "origin", "selector", "where", "property", "comparison", "at", "id"];
const FIELDS = ["name", "category", "counting", "value_property", "lifetime_factor", ...LIMITS, ...RULE_FIELDS];

function useSlow<T>(value: T, wait: number) {
  const [slow, setSlow] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSlow(value), wait);
    return () => clearTimeout(timer);
  }, [value, wait]);
  return useDeferredValue(slow);
}

/** Decimals as a person writes them: 59, not 59.0000. */
const plain = (value: string | number | null | undefined) => (value == null ? null : String(Number(value)));

interface Props {
  siteId: number;
  rule?: Conversion;
  close: () => void;
}

export function Editor({ siteId, rule, close }: Props) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [draft, setDraft] = useState<Draft>(
    rule
      ? {
          ...rule,
          value: plain(rule.value),
          lifetime_factor: plain(rule.lifetime_factor),
          visitor_day_limit: plain(rule.visitor_day_limit),
          network_day_limit: plain(rule.network_day_limit),
          site_day_limit: plain(rule.site_day_limit),
        }
      : {
          name: "",
          category: "lead",
          counting: "visit",
          value: null,
          value_property: "",
          lifetime_factor: null,
          proven_only: false,
          visitor_day_limit: "100000",
          network_day_limit: "1000000",
          site_day_limit: "10000000",
        },
  );
  const [language, setLanguage] = useState<Group>(
    asGroup((rule?.rule as unknown as Rule) ?? { page: { match: "equals", value: "" } }),
  );
  const [days, setDays] = useState(28);
  const change = (part: Partial<Draft>) => setDraft({ ...draft, ...part });
  const written = complete(language);
  const asked = useSlow(
    {
      language: JSON.stringify(simplified(language)),
      counting: draft.counting,
      days,
      name: draft.name,
      proven: draft.proven_only,
      written,
    },
    200,
  );
  const preview = useQuery({
    ...previewQuery(siteId, {
      rule: JSON.parse(asked.language),
      counting: asked.counting,
      days: asked.days,
      name: asked.name,
      rule_id: rule?.id ?? null,
      proven_only: asked.proven,
    }),
    enabled: asked.written,
  });
  const save = useMutation({
    mutationFn: () => {
      const { name, category, counting, value, value_property, lifetime_factor, proven_only } = draft;
      const language_json = JSON.parse(JSON.stringify(simplified(language)));
      const { visitor_day_limit, network_day_limit, site_day_limit } = draft;
      const limits = { visitor_day_limit, network_day_limit, site_day_limit };
      const worth = { value, value_property, lifetime_factor, proven_only, ...limits };
      const body = { name, category, counting, ...worth, rule: language_json };
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
      await makeStale(queries, siteId, "conversions", ...REPORTS);
      toast(`${words(made.name)} is saved and being counted back to the first hit.`);
      close();
    },
  });
  // The rule's own mistakes show while it is written; the server's word on the rest when it is saved.
  const ruleError = (name: string) => fieldError(preview.error, name);
  const error = (name: string) => fieldError(save.error, name);
  const proposed = preview.data?.proposed_name;
  const doubt = draft.name && preview.data?.name_doubt;

  return (
    <>
      <Head
        title={rule ? words(rule.name) : "New conversion"}
        lead="Write the rule; beside it stands what it would have caught."
        actions={<Button onClick={close}>Back to all</Button>}
      />
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)] items-start gap-6 lg:grid-cols-[400px_minmax(0,1fr)]">
        <form
          className="flex min-w-0 flex-col gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            save.mutate();
          }}
        >
          <fieldset disabled={!site.canEdit} className="contents">
            <h2 className="text-lead">It counts when</h2>
            <Builder siteId={siteId} rule={language} change={setLanguage} error={ruleError} />
            {preview.error && asked.written && (
              <p role="alert" className="text-small text-brick">
                {preview.error.message}
              </p>
            )}
            {preview.data && asked.written && !preview.isError && (
              <p className="border-l-4 border-line pl-3 text-quiet">
                In words: <bdi>{preview.data.sentence}</bdi>.
              </p>
            )}
            <Field
              label="Name"
              hint={
                proposed && proposed !== draft.name && !draft.name ? (
                  <>
                    Small letters, digits and underscores.{" "}
                    <TextButton onClick={() => change({ name: proposed })}>Call it {proposed}</TextButton>
                  </>
                ) : doubt ? (
                  <span className="font-medium text-marigold">{doubt}</span>
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
            <Worth draft={draft} change={change} currency={site.currency} error={error} />
            <Checkbox
              label="Only proven orders"
              hint="Only those whose order number and value your own server has signed. Pixel, Forged hits, says how."
              checked={draft.proven_only ?? false}
              set={(proven_only) => change({ proven_only })}
            />
            <FormProblem problem={save.error} fields={FIELDS.filter((f) => !RULE_FIELDS.includes(f))} />
            {site.canEdit ? (
              <div className="flex gap-2">
                <Button type="submit" kind="main" disabled={save.isPending || !written || preview.isError}>
                  {rule ? "Save and count back again" : "Save and count it back"}
                </Button>
                <Button onClick={close}>Cancel</Button>
              </div>
            ) : (
              <p className="text-quiet">Your role lets you look at this, not change it.</p>
            )}
          </fieldset>
          {rule && <Versions siteId={siteId} rule={rule} close={close} />}
        </form>
        <Effect
          written={written}
          preview={preview.isError ? undefined : preview.data}
          days={days}
          setDays={setDays}
          pick={(path) => setLanguage({ all: [{ page: { match: "equals", value: path } }] })}
        />
      </div>
    </>
  );
}

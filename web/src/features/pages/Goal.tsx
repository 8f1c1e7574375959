/** What a page is there for: it is judged by that wherever pages of different goals stand together. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";
import { Field, FormProblem, Select } from "../../components/ui";
import { words } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { goalQuery } from "./queries";

interface Props {
  siteId: number;
  pageId: number;
  conversions: Schemas["RuleChoice"][];
}

export function Goal({ siteId, pageId, conversions }: Props) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const path = { params: { path: { site_id: siteId, page_id: pageId } } };
  const goal = useQuery(goalQuery(siteId, pageId));
  const set = useMutation({
    mutationFn: (conversion: number | null) =>
      data(client.PUT("/api/sites/{site_id}/pages/{page_id}/goal", { ...path, body: { conversion } })),
    onSuccess: (now) => {
      queries.setQueryData(goalQuery(siteId, pageId).queryKey, now);
      return makeStale(queries, siteId, "today");
    },
  });
  const now = goal.data;
  if (!now) return null;
  const own = now.by_hand ? "" : now.name ? `: ${words(now.name)}` : ": none so far";
  return (
    <div className="mb-3">
      <Field label="This page is there for" hint="Today judges it by that, beside pages with the same goal.">
        {(p) => (
          <Select
            {...p}
            disabled={!site.canEdit || set.isPending}
            value={now.by_hand ? String(now.conversion) : ""}
            onChange={(e) => set.mutate(e.target.value ? Number(e.target.value) : null)}
          >
            <option value="">what most of its visits led to{own}</option>
            {conversions.map((c) => (
              <option key={c.id} value={c.id}>
                {words(c.name)}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <FormProblem problem={set.error} fields={[]} />
    </div>
  );
}

/** API tokens: for programs that read the reports. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Chosen, Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button, Failed, FormProblem, TextButton } from "../../components/ui";
import { ago, day } from "../../lib/format";
import { z } from "../../lib/zod";
import { tokensQuery } from "./queries";

const schema = z.object({ name: z.string(), scope: z.enum(["reports", "people", "outcomes"]), days: z.string() });
type Scope = z.infer<typeof schema>["scope"];
const SCOPES: Record<Scope, string> = {
  reports: "reports",
  people: "reports, lists, single people, members of audiences",
  outcomes: "nothing: it tells what became of leads and orders",
};

export function Tokens({ workspaceId }: { workspaceId: number }) {
  const queries = useQueryClient();
  const path = { workspace_id: workspaceId };
  const found = useQuery(tokensQuery(workspaceId));
  const again = () => queries.invalidateQueries({ queryKey: tokensQuery(workspaceId).queryKey });
  const make = useMutation({
    mutationFn: (said: { name: string; scope: Scope; days: string }) =>
      data(
        client.POST("/api/workspaces/{workspace_id}/tokens", {
          params: { path },
          body: { ...said, days: Number(said.days) },
        }),
      ),
    onSettled: again,
  });
  const revoke = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/workspaces/{workspace_id}/tokens/{token_id}", {
          params: { path: { ...path, token_id: id } },
        }),
      ),
    onSuccess: () => toast("The token is revoked: what used it is refused from now on."),
    onSettled: again,
  });
  const form = useServerForm({
    schema,
    values: { name: "", scope: "reports", days: "90" },
    send: make.mutateAsync,
    resets: true,
  });
  return (
    <section aria-labelledby="tokens" className="mt-8 max-w-5xl border-t pt-5">
      <h2 id="tokens" className="mb-1 text-title">
        API tokens
      </h2>
      <p className="mb-3 max-w-3xl text-quiet">
        With a token a notebook or a script reads the same tables as you, as CSV, JSON, Excel or Parquet, and changes
        nothing. It is sent as “Authorization: Bearer …”; docs/api.md shows how.
      </p>
      <Form form={form} className="grid items-start gap-3 sm:grid-cols-[1fr_1fr_8rem_auto]">
        <Written form={form} name="name" label="What will use it" />
        <Chosen form={form} name="scope" label="It reads">
          {Object.entries(SCOPES).map(([scope, text]) => (
            <option key={scope} value={scope}>
              {text}
            </option>
          ))}
        </Chosen>
        <Chosen form={form} name="days" label="For">
          {["7", "30", "90", "365"].map((days) => (
            <option key={days} value={days}>
              {days} days
            </option>
          ))}
        </Chosen>
        <Button type="submit" kind="main" className="sm:mt-[26px]" disabled={form.pending}>
          Create API token
        </Button>
      </Form>
      <Unplaced form={form} />
      {make.data && (
        <div role="status" className="mt-3 border-l-4 border-fern pl-3">
          <p>This is the token of “{make.data.name}”. It is shown this once: only its fingerprint is kept.</p>
          <p className="mt-1 flex flex-wrap items-center gap-3">
            <code className="num break-all">{make.data.token}</code>
            <TextButton
              onClick={async () => {
                await navigator.clipboard.writeText(make.data.token);
                toast("Copied.");
              }}
            >
              Copy
            </TextButton>
          </p>
        </div>
      )}
      <FormProblem problem={revoke.error} fields={[]} />
      {found.isError && <Failed error={found.error} retry={found.refetch} />}
      {found.data && found.data.length > 0 && (
        <ul className="mt-4">
          {found.data.map((t) => (
            <li key={t.id} className="flex flex-wrap items-baseline justify-between gap-3 border-b py-1.5">
              <span>
                <bdi>{t.name}</bdi> <span className="num text-quiet">{t.hint}…</span>
                <span className="text-quiet">
                  {" "}
                  · {SCOPES[t.scope]} · made by {t.made_by} · until {day(t.expires_at)} ·{" "}
                  {t.last_used_at ? `last used ${ago(t.last_used_at)}` : "never used"}
                </span>
              </span>
              <Button kind="against" disabled={revoke.isPending} onClick={() => revoke.mutate(t.id)}>
                Revoke
              </Button>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

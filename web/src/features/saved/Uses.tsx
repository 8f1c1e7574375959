/** Who else sees a view: by a link to read it, and by mail. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Chosen, Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button, Failed, FormProblem, TextButton } from "../../components/ui";
import { ago, day } from "../../lib/format";
import { z } from "../../lib/zod";
import { type SavedView, usesQuery } from "./queries";

const linkSchema = z.object({ days: z.string(), password: z.string() });
const mailSchema = z.object({ to: z.string(), rhythm: z.enum(["weekly", "monthly"]) });
const RHYTHMS = { weekly: "each Monday", monthly: "on the 1st of each month" };

export function Uses({ siteId, view }: { siteId: number; view: SavedView }) {
  const queries = useQueryClient();
  const path = { site_id: siteId, view_id: view.id };
  const uses = useQuery(usesQuery(siteId, view.id));
  const again = () => queries.invalidateQueries({ queryKey: usesQuery(siteId, view.id).queryKey });
  const share = useMutation({
    mutationFn: ({ days, password }: { days: string; password: string }) =>
      data(
        client.POST("/api/sites/{site_id}/views/{view_id}/links", {
          params: { path },
          body: { days: Number(days), password },
        }),
      ),
    onSettled: again,
  });
  const revoke = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/views/{view_id}/links/{link_id}", {
          params: { path: { ...path, link_id: id } },
        }),
      ),
    onSuccess: () => toast("The link is revoked. It shows nothing any more."),
    onSettled: again,
  });
  const mail = useMutation({
    mutationFn: (body: { to: string; rhythm: "weekly" | "monthly" }) =>
      data(client.POST("/api/sites/{site_id}/views/{view_id}/mailings", { params: { path }, body })),
    onSuccess: (made) => toast(`It goes to ${made.to} ${RHYTHMS[made.rhythm]}, from 6 o’clock.`),
    onSettled: again,
  });
  const end = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/views/{view_id}/mailings/{mailing_id}", {
          params: { path: { ...path, mailing_id: id } },
        }),
      ),
    onSettled: again,
  });
  const linkForm = useServerForm({
    schema: linkSchema,
    values: { days: "30", password: "" },
    send: share.mutateAsync,
    resets: true,
  });
  const mailForm = useServerForm({
    schema: mailSchema,
    values: { to: "", rhythm: "weekly" },
    send: mail.mutateAsync,
    resets: true,
  });
  return (
    <>
      <section className="mt-5 border-t pt-4">
        <h3 className="text-lead">A link to read it</h3>
        <p className="mb-2 text-small text-quiet">
          Anyone with the link sees this table as it is then, and nothing else of the site. Search engines are told to
          leave it alone.
        </p>
        <Form form={linkForm} className="grid grid-cols-2 items-start gap-3">
          <Chosen form={linkForm} name="days" label="For">
            {["7", "30", "90", "365"].map((days) => (
              <option key={days} value={days}>
                {days} days
              </option>
            ))}
          </Chosen>
          <Written
            form={linkForm}
            name="password"
            label="Password, if you like"
            type="password"
            autoComplete="new-password"
          />
          <Button type="submit" className="justify-self-start" disabled={linkForm.pending}>
            Make a link
          </Button>
        </Form>
        <Unplaced form={linkForm} />
        {share.data && (
          <div role="status" className="mt-3 border-l-4 border-fern pl-3">
            <p>This is the link. It is shown this once: only its fingerprint is kept.</p>
            <code className="num block break-all">{share.data.address}</code>
            <TextButton
              onClick={async () => {
                await navigator.clipboard.writeText(share.data.address);
                toast("Copied.");
              }}
            >
              Copy
            </TextButton>
          </div>
        )}
        {uses.isError && <Failed error={uses.error} retry={uses.refetch} />}
        <FormProblem problem={revoke.error ?? end.error} fields={[]} />
        <ul className="mt-2">
          {uses.data?.links.map((l) => (
            <li key={l.id} className="flex items-baseline justify-between gap-3 border-b py-1.5">
              <span>
                <span className="num">…/{l.hint}…</span>
                <span className="block text-small text-quiet">
                  by {l.made_by || "a former member"}, until {day(l.expires_at)}
                  {l.with_password && ", with a password"},{" "}
                  {l.times
                    ? `opened ${l.times === 1 ? "once" : `${l.times} times`}, last ${ago(l.last_used_at)}`
                    : "never opened"}
                </span>
              </span>
              <Button kind="against" disabled={revoke.isPending} onClick={() => revoke.mutate(l.id)}>
                Revoke
              </Button>
            </li>
          ))}
        </ul>
      </section>
      <section className="mt-5 border-t pt-4">
        <h3 className="text-lead">By mail</h3>
        <p className="mb-2 text-small text-quiet">
          The table, what changed beyond chance, and the whole as an Excel file. Each mail has a link to end it.
        </p>
        <Form form={mailForm} className="grid grid-cols-2 items-start gap-3">
          <Written form={mailForm} name="to" label="To" type="email" />
          <Chosen form={mailForm} name="rhythm" label="When">
            {Object.entries(RHYTHMS).map(([rhythm, text]) => (
              <option key={rhythm} value={rhythm}>
                {text}
              </option>
            ))}
          </Chosen>
          <Button type="submit" className="justify-self-start" disabled={mailForm.pending}>
            Send it
          </Button>
        </Form>
        <Unplaced form={mailForm} />
        <ul className="mt-2">
          {uses.data?.mailings.map((m) => (
            <li key={m.id} className="flex items-baseline justify-between gap-3 border-b py-1.5">
              <span>
                <bdi>{m.to}</bdi>
                <span className="block text-small text-quiet">
                  {RHYTHMS[m.rhythm]}, {m.sent_on ? `last on ${day(m.sent_on)}` : "not sent yet"}
                </span>
              </span>
              <Button kind="against" disabled={end.isPending} onClick={() => end.mutate(m.id)}>
                End
              </Button>
            </li>
          ))}
        </ul>
      </section>
    </>
  );
}

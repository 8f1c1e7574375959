import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, data } from "../../api/client";
import { Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button, CopyLine, Failed, FormProblem, Loading } from "../../components/ui";
import { day } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { z } from "../../lib/zod";
import { Kit } from "./Kit";
import { kitLinksQuery, kitQuery } from "./queries";

export function Install({ siteId, canEdit }: { siteId: number; canEdit: boolean }) {
  const kit = useQuery(kitQuery(siteId));
  return (
    <>
      {kit.isPending && <Loading what="the kit" />}
      {kit.isError && <Failed error={kit.error} retry={kit.refetch} />}
      {kit.data && <Kit pieces={kit.data} />}
      {canEdit && <Send siteId={siteId} />}
    </>
  );
}

/** The same kit for somebody without an account. */
function Send({ siteId }: { siteId: number }) {
  const queries = useQueryClient();
  const form = useServerForm({
    schema: z.object({ email: z.string(), note: z.string().check(z.maxLength(1000)) }),
    values: { email: "", note: "" },
    send: (body) =>
      data(client.POST("/api/sites/{site_id}/kit/share", { params: { path: { site_id: siteId } }, body })),
    done: () => makeStale(queries, siteId, "kit"),
  });
  const sent = form.result;
  return (
    <section aria-labelledby="send" className="mt-6 border-t pt-4">
      <h2 id="send" className="text-title">
        Send it to a developer
      </h2>
      <p className="mb-3 max-w-3xl text-quiet">
        A mail, and a page to read without an account, with the same kit and a tick as soon as the first hit comes in.
        The page ends by itself after 14 days and shows none of your numbers.
      </p>
      <Form
        form={form}
        className="grid max-w-3xl grid-cols-[minmax(0,1fr)] items-start gap-3 md:grid-cols-[260px_minmax(0,1fr)_auto]"
      >
        <Written
          form={form}
          name="email"
          label="E-mail"
          hint="Empty: only the link."
          inputMode="email"
          placeholder="dev@brackenhive.example"
        />
        <Written form={form} name="note" label="A word with it" maxLength={1000} />
        <Button type="submit" className="md:mt-6" disabled={form.pending}>
          {form.watch("email") ? "Send the mail" : "Make a link"}
        </Button>
      </Form>
      <Unplaced form={form} />
      {sent && (
        <div className="mt-2 max-w-3xl" role="status">
          <p className="mb-1">
            {sent.mailed_to ? `The mail is on its way to ${sent.mailed_to}. ` : ""}
            The page can be read until {day(sent.expires_at)}:
          </p>
          <CopyLine text={sent.address} label="the address of the kit" />
        </div>
      )}
      <OpenLinks siteId={siteId} />
    </section>
  );
}

/** Links that can be opened now, each of which can be ended. */
function OpenLinks({ siteId }: { siteId: number }) {
  const queries = useQueryClient();
  const path = { site_id: siteId };
  const links = useQuery(kitLinksQuery(siteId));
  const end = useMutation({
    mutationFn: (id: number) =>
      data(client.DELETE("/api/sites/{site_id}/kit/links/{link_id}", { params: { path: { ...path, link_id: id } } })),
    onSettled: () => makeStale(queries, siteId, "kit"),
  });
  if (!links.data?.length) return null;
  return (
    <div className="mt-4 max-w-3xl">
      <h3 className="mb-1 text-lead">Open links</h3>
      <ul>
        {links.data.map((link) => (
          <li key={link.id} className="flex flex-wrap items-baseline justify-between gap-3 border-b py-1.5">
            <span>
              {link.email || "without a mail"}
              <span className="text-quiet">
                {" "}
                · made {day(link.created_at)} by {link.by}, until {day(link.expires_at)}
              </span>
            </span>
            <Button kind="against" disabled={end.isPending} onClick={() => end.mutate(link.id)}>
              End this link
            </Button>
          </li>
        ))}
      </ul>
      <FormProblem problem={end.error} fields={[]} />
    </div>
  );
}

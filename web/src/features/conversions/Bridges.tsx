/** Links that lead to a page that is not one's own, by way of Clabo. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Form, Ticked, Unplaced, useServerForm, Written } from "../../components/form";
import { Scroll } from "../../components/Scroll";
import { Sheet } from "../../components/Sheet";
import { Table } from "../../components/Table";
import { Tabs } from "../../components/Tabs";
import { Button, CopyLine, Empty, Failed, Loading, TextButton } from "../../components/ui";
import { ago, count } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { filled, listOf, z } from "../../lib/zod";
import { Brought } from "./Brought";
import { bridgesQuery } from "./queries";

type Bridge = Schemas["BridgeOut"];
type Part = "brought" | "set";
const schema = z.object({
  slug: filled(),
  target: filled(),
  reference_name: z.string(),
  free_names: z.string(),
  pixel_sales: z.boolean(),
});

export function Bridges({ siteId, canEdit }: { siteId: number; canEdit: boolean }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState<Bridge | "new">();
  const [part, setPart] = useState<Part>("brought");
  const links = useQuery(bridgesQuery(siteId));
  const again = () => makeStale(queries, siteId, "bridges");
  const path = (id: number) => ({ params: { path: { site_id: siteId, link_id: id } } });
  const remove = useMutation({
    mutationFn: (link: Bridge) => data(client.DELETE("/api/sites/{site_id}/bridges/{link_id}", path(link.id))),
    onSuccess: (_, link) => {
      setOpen(undefined);
      offerUndo(queries, {
        siteId,
        kind: "bridge",
        id: link.id,
        says: `${link.slug} is deleted and leads nowhere any more.`,
        lists: ["bridges"],
      });
    },
    onError: (error) => toast.error(error.message),
    onSettled: again,
  });
  return (
    <div className="mt-3 flex flex-col gap-4 lg:flex-row">
      <div className="min-w-0 flex-1">
        <div className="mb-3 flex flex-wrap items-start justify-between gap-3">
          <p className="max-w-3xl text-quiet">
            For a page that is not yours, a partner’s offer for example: the link leads through Clabo, which counts the
            step, keeps source, campaign, ad and sub-IDs, and hands over a click reference, for which the partner can
            report a sale.
          </p>
          {canEdit && <Button onClick={() => setOpen("new")}>New bridge link</Button>}
        </div>
        {links.isPending && <Loading what="the bridge links" />}
        {links.isError && <Failed error={links.error} retry={links.refetch} />}
        {links.data &&
          (links.data.length ? (
            <Scroll label="Bridge links">
              <Table
                columns={[
                  {
                    key: "link",
                    head: "Link",
                    text: true,
                    cell: (link) => (
                      <TextButton
                        className="num font-semibold decoration-line underline-offset-4"
                        onClick={() => setOpen(link)}
                      >
                        {link.slug}
                      </TextButton>
                    ),
                  },
                  {
                    key: "leads-to",
                    head: "Leads to",
                    text: true,
                    className: "max-w-[24rem] min-w-40 whitespace-normal",
                    cell: (link) => <bdi className="num block [overflow-wrap:anywhere]">{link.target}</bdi>,
                  },
                  {
                    key: "followed-28-days",
                    head: (
                      <>
                        Followed,
                        <br />
                        28 days
                      </>
                    ),
                    className: "num",
                    hint: "Own visits, rehearsals and bots left out.",
                    cell: (link) => count(link.steps),
                  },
                  {
                    key: "sales-28-days",
                    head: (
                      <>
                        Sales,
                        <br />
                        28 days
                      </>
                    ),
                    className: "num",
                    cell: (link) => count(link.sales),
                  },
                  {
                    key: "last-followed",
                    head: "Last followed",
                    className: "num",
                    cell: (link) => (link.last_at ? ago(link.last_at) : "not yet"),
                  },
                ]}
                rows={links.data}
                rowKey={(link) => link.id}
              />
            </Scroll>
          ) : (
            <Empty title="No bridge link yet.">
              <p>Create one for each page outside your site that your visitors are sent to.</p>
            </Empty>
          ))}
      </div>
      {open && (
        <Sheet title={open === "new" ? "New bridge link" : open.slug} close={() => setOpen(undefined)}>
          {open !== "new" && (
            <Tabs<Part>
              label="Parts of the link"
              chosen={part}
              choose={setPart}
              tabs={{ brought: "What it brought", set: "Link and reports" }}
            >
              {part === "brought" && <Brought key={open.id} siteId={siteId} linkId={open.id} />}
            </Tabs>
          )}
          {(open === "new" || part === "set") && (
            <div className="pt-3">
              <LinkForm
                key={open === "new" ? "new" : open.id}
                siteId={siteId}
                link={open === "new" ? undefined : open}
                canEdit={canEdit}
                done={(made) => {
                  setPart("set");
                  setOpen(made);
                  again();
                }}
                remove={remove.mutate}
              />
            </div>
          )}
        </Sheet>
      )}
    </div>
  );
}

interface FormProps {
  siteId: number;
  link?: Bridge;
  canEdit: boolean;
  done: (link: Bridge) => void;
  remove: (link: Bridge) => void;
}

function LinkForm({ siteId, link, canEdit, done, remove }: FormProps) {
  const form = useServerForm({
    schema,
    values: {
      slug: link?.slug ?? "",
      target: link?.target ?? "",
      reference_name: link?.reference_name ?? "ref",
      free_names: link?.free_names?.join(", ") ?? "",
      pixel_sales: link?.pixel_sales ?? false,
    },
    send: (given) => {
      const body = { ...given, free_names: listOf(given.free_names) };
      const path = { site_id: siteId };
      return link
        ? data(
            client.PUT("/api/sites/{site_id}/bridges/{link_id}", {
              params: { path: { ...path, link_id: link.id } },
              body,
            }),
          )
        : data(client.POST("/api/sites/{site_id}/bridges", { params: { path }, body }));
    },
    done: (made) => {
      toast(`${made.slug} leads to its page. It works within seconds.`);
      done(made);
    },
  });
  return (
    <Form form={form}>
      {link && (
        <div>
          <p className="mb-1 font-medium">Put this where the link to the other page was</p>
          <CopyLine text={link.address} label="the bridge link" />
        </div>
      )}
      <fieldset disabled={!canEdit} className="contents">
        <Written
          form={form}
          name="slug"
          label="Name"
          hint="It stands at the end of the link."
          className="num"
          placeholder="suits-partner"
        />
        <Written
          form={form}
          name="target"
          label="Leads to"
          hint="Only there, whatever anybody writes behind the link."
          className="num"
          placeholder="https://partner.example/suits"
        />
        <div className="grid grid-cols-2 gap-3">
          <Written
            form={form}
            name="reference_name"
            label="Click reference in"
            hint="The parameter that the partner reads."
            className="num"
          />
          <Written
            form={form}
            name="free_names"
            label="Pass on as well"
            hint="Besides campaign, click id, sub1 to sub5."
            className="num"
            placeholder="none"
          />
        </div>
        <Ticked
          form={form}
          name="pixel_sales"
          label="Take sales that an image reports, too"
          hint="Anyone who has followed the link can load such an image. A signed report cannot be forged."
        />
        <Unplaced form={form} />
        {canEdit && (
          <div className="flex gap-2">
            <Button type="submit" kind="main" disabled={form.pending}>
              {link ? "Save the link" : "Make the link"}
            </Button>
            {link && (
              <Button kind="against" onClick={() => remove(link)}>
                Remove
              </Button>
            )}
          </div>
        )}
      </fieldset>
      {link?.secret && <Reports link={link} secret={link.secret} />}
    </Form>
  );
}

function Reports({ link, secret }: { link: Bridge; secret: string }) {
  return (
    <section aria-label="How the partner reports a sale" className="border-t pt-3">
      <h3 className="text-lead">How the partner reports a sale</h3>
      <p className="mt-1 mb-1 text-quiet">
        By a POST of JSON, signed with the secret: the header Clabo-Signature is the HMAC-SHA256 of the body, in
        hexadecimal.
      </p>
      <pre className="num overflow-x-auto rounded-box border bg-surface p-2 whitespace-pre-wrap break-all">
        {`POST ${link.report_address}\n{"ref": "…", "value": 80.5, "currency": "EUR", "order": "P-1"}`}
      </pre>
      <p className="mt-2 mb-1 font-medium">Secret</p>
      <CopyLine text={secret} label="the secret" />
      {link.pixel_sales && (
        <>
          <p className="mt-2 mb-1 font-medium">Or by an image on the partner’s thank-you page</p>
          <CopyLine
            text={`<img src="${link.report_address}.gif?ref=…&value=80.5&order=P-1" alt="" width="1" height="1">`}
            label="the image"
          />
        </>
      )}
    </section>
  );
}

/** Whose visits are counted: one's own are not, and what happens before consent. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Form, Lines, Unplaced, useServerForm } from "../../components/form";
import { Radios } from "../../components/Radios";
import { Button, CopyLine, Failed, Loading } from "../../components/ui";
import { makeStale } from "../../lib/stale";
import { listOf, z } from "../../lib/zod";
import { siteQuery } from "./queries";

type Site = Schemas["SiteOut"];

const CONSENT: Record<Site["consent"], { says: string; stored: string[] }> = {
  always: {
    says: "Always",
    stored: [
      "In the browser: a cookie clabo_id with a random number, for 13 months, on your own host only.",
      "Where needed: what could not be sent, for a day at most; and until the tab is closed, the campaign words that the visit came with.",
      "On the server: pages viewed, forms sent (names of fields, never what was entered), clicks, where the visit came from, the kind of device.",
      "IP addresses are never stored.",
    ],
  },
  ask: {
    says: "Only after your page calls clabo.consent(true)",
    stored: [
      "Before: nothing, neither in the browser nor on the server. What happens waits in the page and is lost with it.",
      "After clabo.consent(true): the same as “always”. After clabo.consent(false): the cookie is deleted, nothing is sent.",
      "The decision itself, as clabo_consent in the browser.",
    ],
  },
  nameless: {
    says: "Without any stored id",
    stored: [
      "In the browser: nothing.",
      "On the server: a hash of the IP address and the browser’s name with a secret that is thrown away every day. Visits only: tomorrow the same person is another visitor.",
      "Returning visitors and split tests are not possible this way.",
    ],
  },
};

const CHOICES = Object.fromEntries(Object.entries(CONSENT).map(([key, { says }]) => [key, says])) as Record<
  Site["consent"],
  string
>;

export function Counted({ siteId, canEdit }: { siteId: number; canEdit: boolean }) {
  const site = useQuery(siteQuery(siteId));
  if (site.isPending) return <Loading what="the settings" />;
  if (site.isError) return <Failed error={site.error} retry={site.refetch} />;
  return <Settings site={site.data} canEdit={canEdit} />;
}

const schema = z.object({
  own_networks: z.string(),
  frame_origins: z.string(),
  consent: z.enum(["always", "ask", "nameless"]),
});

function Settings({ site, canEdit }: { site: Site; canEdit: boolean }) {
  const queries = useQueryClient();
  const form = useServerForm({
    schema,
    values: {
      own_networks: site.own_networks.join("\n"),
      frame_origins: site.frame_origins.join("\n"),
      consent: site.consent,
    },
    send: (given) =>
      data(
        client.PATCH("/api/sites/{site_id}", {
          params: { path: { site_id: site.id } },
          body: {
            consent: given.consent,
            own_networks: listOf(given.own_networks),
            frame_origins: listOf(given.frame_origins),
          },
        }),
      ),
    done: async (now) => {
      form.setValue("own_networks", now.own_networks.join("\n"));
      form.setValue("frame_origins", now.frame_origins.join("\n"));
      await makeStale(queries, site.id, "site");
      toast("Saved. Pages take it over within a few minutes.");
    },
  });
  return (
    <Form form={form} className="grid grid-cols-[minmax(0,1fr)] gap-x-8 gap-y-6 lg:grid-cols-2" disabled={!canEdit}>
      <section aria-labelledby="own" className="flex flex-col gap-3">
        <h2 id="own" className="text-title">
          Your own visits
        </h2>
        <p className="text-quiet">
          They are shown in Live and labelled, so that you can check your pages; they are counted nowhere else.
        </p>
        <div>
          <p className="mb-1 font-medium">Open this once in each of your browsers</p>
          <CopyLine text={`${site.origin}/?clabo=own`} label="the link that marks a browser as your own" />
          <p className="mt-2 mb-1 text-small text-quiet">and this, to be counted again:</p>
          <CopyLine text={`${site.origin}/?clabo=not-own`} label="the link that unmarks it" />
        </div>
        <Lines
          form={form}
          name="own_networks"
          label="Your networks"
          hint="One a line, for example 203.0.113.0/24. Visits from there count as your own."
          rows={2}
        />
        <Lines
          form={form}
          name="frame_origins"
          label="Frames that may report forms"
          hint="The origins of form pages that carry the line for a form’s own page, one a line. Others are not listened to."
          placeholder="https://forms.example"
          rows={2}
        />
      </section>
      <section aria-labelledby="consent" className="flex flex-col gap-3">
        <h2 id="consent" className="text-title">
          Consent
        </h2>
        <p className="text-quiet">
          Browsers that send Global Privacy Control are never counted, whatever is chosen here.
        </p>
        <p id="sent" className="font-medium">
          Hits are sent
        </p>
        <Radios
          label="Hits are sent"
          className="flex flex-col gap-3"
          choices={CHOICES}
          chosen={form.watch("consent")}
          choose={(value) => form.setValue("consent", value)}
          disabled={!canEdit}
          more={(value) => (
            <ul className="ml-6 list-disc pl-4 text-small text-quiet">
              {CONSENT[value].stored.map((line) => (
                <li key={line}>{line}</li>
              ))}
            </ul>
          )}
        />
        <Unplaced form={form} />
        {canEdit ? (
          <Button type="submit" kind="main" className="self-start" disabled={form.pending}>
            Save
          </Button>
        ) : (
          <p className="text-quiet">Your role lets you look at these, not change them.</p>
        )}
      </section>
    </Form>
  );
}

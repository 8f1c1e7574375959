/** Whose visits are counted: one's own are not, and what happens before consent. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Button, CopyLine, Failed, Field, FormProblem, fieldError, Loading } from "../../components/ui";
import { makeStale } from "../../lib/stale";
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

export function Counted({ siteId, canEdit }: { siteId: number; canEdit: boolean }) {
  const site = useQuery(siteQuery(siteId));
  if (site.isPending) return <Loading what="the settings" />;
  if (site.isError) return <Failed error={site.error} retry={site.refetch} />;
  return <Form site={site.data} canEdit={canEdit} />;
}

function Form({ site, canEdit }: { site: Site; canEdit: boolean }) {
  const queries = useQueryClient();
  const [networks, setNetworks] = useState(site.own_networks.join("\n"));
  const [frames, setFrames] = useState(site.frame_origins.join("\n"));
  const [consent, setConsent] = useState(site.consent);
  const lines = (text: string) => text.split(/[\s,]+/).filter(Boolean);
  const save = useMutation({
    mutationFn: () =>
      data(
        client.PATCH("/api/sites/{site_id}", {
          params: { path: { site_id: site.id } },
          body: { consent, own_networks: lines(networks), frame_origins: lines(frames) },
        }),
      ),
    onSuccess: async (now) => {
      setNetworks(now.own_networks.join("\n"));
      setFrames(now.frame_origins.join("\n"));
      await makeStale(queries, site.id, "site");
      toast("Saved. Pages take it over within a few minutes.");
    },
  });
  const box = "num w-full rounded-box border border-quiet/50 bg-surface px-2.5 py-1.5";
  return (
    <form
      className="grid grid-cols-[minmax(0,1fr)] gap-x-8 gap-y-6 lg:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <section aria-labelledby="own" className="flex flex-col gap-3">
        <h2 id="own" className="text-[17px]">
          Your own visits
        </h2>
        <p className="text-quiet">
          They are shown in Live and labelled, so that you can check your pages; they are counted nowhere else.
        </p>
        <div>
          <p className="mb-1 font-medium">Open this once in each of your browsers</p>
          <CopyLine text={`${site.origin}/?clabo=own`} label="the link that marks a browser as your own" />
          <p className="mt-2 mb-1 text-[13px] text-quiet">and this, to be counted again:</p>
          <CopyLine text={`${site.origin}/?clabo=not-own`} label="the link that unmarks it" />
        </div>
        <Field
          label="Your networks"
          hint="One a line, for example 203.0.113.0/24. Whoever visits from there is your own people."
          error={fieldError(save.error, "own_networks")}
        >
          {(p) => (
            <textarea
              {...p}
              rows={2}
              className={box}
              value={networks}
              disabled={!canEdit}
              onChange={(e) => setNetworks(e.target.value)}
            />
          )}
        </Field>
        <Field
          label="Frames that may report forms"
          hint="The origins of form pages that carry the line for a form’s own page, one a line. Others are not listened to."
          error={fieldError(save.error, "frame_origins")}
        >
          {(p) => (
            <textarea
              {...p}
              rows={2}
              className={box}
              placeholder="https://forms.example"
              value={frames}
              disabled={!canEdit}
              onChange={(e) => setFrames(e.target.value)}
            />
          )}
        </Field>
      </section>
      <section aria-labelledby="consent" className="flex flex-col gap-3">
        <h2 id="consent" className="text-[17px]">
          Consent
        </h2>
        <p className="text-quiet">
          Browsers that send Global Privacy Control are never counted, whatever is chosen here.
        </p>
        <fieldset disabled={!canEdit} className="flex flex-col gap-3">
          <legend className="mb-1 font-medium">Hits are sent</legend>
          {Object.entries(CONSENT).map(([key, { says, stored }]) => (
            <div key={key}>
              <label className="flex items-center gap-2 font-medium">
                <input
                  type="radio"
                  name="consent"
                  className="accent-plum"
                  checked={consent === key}
                  onChange={() => setConsent(key as Site["consent"])}
                />
                {says}
              </label>
              <ul className="ml-6 list-disc pl-4 text-[13px] text-quiet">
                {stored.map((line) => (
                  <li key={line}>{line}</li>
                ))}
              </ul>
            </div>
          ))}
        </fieldset>
        <FormProblem problem={save.error} fields={["own_networks", "frame_origins"]} />
        {canEdit ? (
          <Button type="submit" kind="main" className="self-start" disabled={save.isPending}>
            Save
          </Button>
        ) : (
          <p className="text-quiet">Your role lets you look at these, not change them.</p>
        )}
      </section>
    </form>
  );
}

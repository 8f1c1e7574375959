import { useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Chosen, Form, Lines, Ticked, Unplaced, useServerForm, Written } from "../../components/form";
import { Button, Failed, Loading } from "../../components/ui";
import { makeStale, REPORTS } from "../../lib/stale";
import { filled, listOf, z } from "../../lib/zod";
import { siteQuery } from "./queries";

const WINDOWS = [1, 7, 14, 28, 30, 90];

interface Props {
  siteId: number;
  canEdit: boolean;
  done: () => void;
}

/** "www.a.example = a.example" on a line: the first host's pages are reported under the second. */
function readHosts(text: string) {
  return text
    .split("\n")
    .filter((line) => line.trim())
    .map((line) => {
      const [host = "", stands_for = ""] = line.split("=");
      return { host: host.trim(), stands_for: stands_for.trim() };
    });
}

const schema = z.object({
  name: filled(),
  hosts: filled(),
  currency: filled(),
  time_zone: filled(),
  margin: z.string(),
  attribution_window_days: z.string(),
  audience_floor: filled(),
  audience_plenty: filled(),
  meaningful_parameters: z.string(),
  keep_fragment: z.boolean(),
});

export function SiteSettings({ siteId, canEdit, done }: Props) {
  const site = useQuery(siteQuery(siteId));
  if (site.isPending) return <Loading what="the settings" />;
  if (site.isError) return <Failed error={site.error} retry={site.refetch} />;
  return <Settings site={site.data} canEdit={canEdit} done={done} />;
}

function Settings({ site: s, canEdit, done }: { site: Schemas["SiteOut"]; canEdit: boolean; done: () => void }) {
  const queries = useQueryClient();
  // What was asked for last, though it may not hold yet.
  const now = {
    ...s,
    ...Object.fromEntries(Object.entries(s.waiting ?? {}).filter(([k, v]) => k !== "hosts" && v != null)),
  };
  const form = useServerForm({
    schema,
    values: {
      name: s.name,
      hosts: s.hosts.map((h) => (h.stands_for ? `${h.host} = ${h.stands_for}` : h.host)).join("\n"),
      currency: now.currency,
      time_zone: now.time_zone,
      margin: s.margin == null ? "" : String(Number(s.margin) * 100),
      attribution_window_days: String(now.attribution_window_days),
      audience_floor: String(s.audience_floor),
      audience_plenty: String(s.audience_plenty),
      meaningful_parameters: now.meaningful_parameters.join(", "),
      keep_fragment: now.keep_fragment,
    },
    send: (given) =>
      data(
        client.PATCH("/api/sites/{site_id}", {
          params: { path: { site_id: s.id } },
          body: {
            ...given,
            hosts: readHosts(given.hosts),
            meaningful_parameters: listOf(given.meaningful_parameters),
            attribution_window_days: Number(given.attribution_window_days),
            audience_floor: Number(given.audience_floor),
            audience_plenty: Number(given.audience_plenty),
            margin: given.margin ? String(Number(given.margin) / 100) : null,
          },
        }),
      ),
    done: async () => {
      await makeStale(queries, s.id, "site", "pixel", "coverage", "audiences", ...REPORTS);
      await queries.invalidateQueries({ queryKey: ["session"] });
      toast("The settings are saved.");
      done();
    },
  });
  return (
    <Form form={form} disabled={!canEdit}>
      <Written form={form} name="name" label="Name" />
      <Lines
        form={form}
        name="hosts"
        label="Hosts"
        hint="One a line. “staging.brackenhive.example = brackenhive.example” reports the first under the second."
        rows={3}
      />
      <div className="grid grid-cols-2 gap-3">
        <Written form={form} name="currency" label="Currency" maxLength={3} />
        <Written form={form} name="time_zone" label="Time zone" hint="Its midnight ends a day." />
      </div>
      <Written
        form={form}
        name="margin"
        label="Margin in %"
        hint="What is left of an order before ads. It sets the return at which ads break even; empty means 100."
        type="number"
        min="0.01"
        max="100"
        step="0.01"
      />
      <Chosen
        form={form}
        name="attribution_window_days"
        label="Attribution window"
        hint="A visit this many days before a conversion can still be credited with it."
      >
        {WINDOWS.map((days) => (
          <option key={days} value={days}>
            {days === 1 ? "1 day" : `${days} days`}
          </option>
        ))}
      </Chosen>
      <div className="grid grid-cols-2 gap-3">
        <Written
          form={form}
          name="audience_floor"
          label="Enough people"
          hint="From so many on an audience can be advertised to."
          type="number"
          min="1"
        />
        <Written form={form} name="audience_plenty" label="Plenty of people" type="number" min="1" />
      </div>
      <Written
        form={form}
        name="meaningful_parameters"
        label="Parameters that make another page"
        hint="Names in the address, for example product. All others are ignored."
      />
      <Ticked form={form} name="keep_fragment" label="Pages differ by what follows # in the address" />
      <Unplaced form={form} />
      {canEdit ? (
        <Button type="submit" kind="main" className="self-start" disabled={form.pending}>
          Save the settings
        </Button>
      ) : (
        <p className="text-quiet">Your role lets you look at these, not change them.</p>
      )}
    </Form>
  );
}

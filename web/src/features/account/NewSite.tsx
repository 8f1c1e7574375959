import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { client, data } from "../../api/client";
import { Chosen, Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button, Empty } from "../../components/ui";
import { useSession } from "../../lib/session";
import { filled, listOf, z } from "../../lib/zod";
import { Frame } from "./Frame";

const schema = z.object({ name: filled(), hosts: filled(), currency: filled(), time_zone: filled() });
const ZONES = Intl.supportedValuesOf("timeZone");

export default function NewSite() {
  const session = useSession().data;
  const navigate = useNavigate();
  const queries = useQueryClient();
  const workspace = session?.workspaces.find((w) => w.role !== "viewer");
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const form = useServerForm({
    schema,
    values: { name: "", hosts: "", currency: "EUR", time_zone: ZONES.includes(here) ? here : "Europe/Vienna" },
    send: (given) =>
      data(
        client.POST("/api/workspaces/{workspace_id}/sites", {
          params: { path: { workspace_id: workspace?.id ?? 0 } },
          body: { ...given, hosts: listOf(given.hosts) },
        }),
      ),
    done: async (site) => {
      await queries.invalidateQueries({ queryKey: ["session"] });
      await navigate({ to: "/s/$siteId/pixel", params: { siteId: String(site.id) } });
    },
  });
  if (session && !workspace)
    return (
      <Frame title="A new site">
        <Empty title="You can look, but not add sites." />
      </Frame>
    );
  return (
    <Frame title="A new site" lead="A site is what one tag belongs to: a shop, a funnel, a client.">
      <Form form={form}>
        <Written form={form} name="name" label="Name" />
        <Written
          form={form}
          name="hosts"
          label="Hosts"
          hint="All host names its pages are on, for example www.brackenhive.example."
        />
        <Written
          form={form}
          name="currency"
          label="Currency"
          hint="Three letters. All money of this site is shown in it."
          maxLength={3}
        />
        <Chosen form={form} name="time_zone" label="Time zone" hint="Days of the reports are days of this zone.">
          {[...new Set(["UTC", ...ZONES])].map((zone) => (
            <option key={zone}>{zone}</option>
          ))}
        </Chosen>
        <Unplaced form={form} />
        <Button type="submit" kind="main" className="self-start" disabled={form.pending}>
          Make the site
        </Button>
      </Form>
    </Frame>
  );
}

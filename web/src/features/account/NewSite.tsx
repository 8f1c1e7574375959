import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { client, data } from "../../api/client";
import { Button, Empty, Field, FormProblem, fieldError, Input, Select } from "../../components/ui";
import { useSession } from "../../lib/session";
import { Frame } from "./Frame";

const ZONES = Intl.supportedValuesOf("timeZone");

export default function NewSite() {
  const session = useSession().data;
  const navigate = useNavigate();
  const queries = useQueryClient();
  const workspace = session?.workspaces.find((w) => w.role !== "viewer");
  const make = useMutation({
    mutationFn: (form: FormData) => {
      const text = (name: string) => String(form.get(name) ?? "");
      return data(
        client.POST("/api/workspaces/{workspace_id}/sites", {
          params: { path: { workspace_id: workspace?.id ?? 0 } },
          body: {
            name: text("name"),
            hosts: text("hosts")
              .split(/[\s,]+/)
              .filter(Boolean),
            currency: text("currency"),
            time_zone: text("time_zone"),
          },
        }),
      );
    },
    onSuccess: async (site) => {
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
  const error = (name: string) => fieldError(make.error, name);
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return (
    <Frame title="A new site" lead="A site is what one tag belongs to: a shop, a funnel, a client.">
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate(new FormData(e.currentTarget));
        }}
      >
        <Field label="Name" error={error("name")}>
          {(p) => <Input {...p} name="name" required />}
        </Field>
        <Field
          label="Hosts"
          hint="All host names its pages are on, for example www.brackenhive.example."
          error={error("hosts")}
        >
          {(p) => <Input {...p} name="hosts" required />}
        </Field>
        <Field label="Currency" hint="Three letters. All money of this site is shown in it." error={error("currency")}>
          {(p) => <Input {...p} name="currency" defaultValue="EUR" maxLength={3} required />}
        </Field>
        <Field label="Time zone" hint="Days of the reports are days of this zone." error={error("time_zone")}>
          {(p) => (
            <Select {...p} name="time_zone" defaultValue={ZONES.includes(here) ? here : "Europe/Vienna"}>
              {[...new Set(["UTC", ...ZONES])].map((zone) => (
                <option key={zone}>{zone}</option>
              ))}
            </Select>
          )}
        </Field>
        <FormProblem problem={make.error} fields={["name", "hosts", "currency", "time_zone"]} />
        <Button type="submit" kind="main" className="self-start" disabled={make.isPending}>
          Make the site
        </Button>
      </form>
    </Frame>
  );
}

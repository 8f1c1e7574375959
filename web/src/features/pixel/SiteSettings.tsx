import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Button, Failed, Field, FormProblem, fieldError, Input, Loading, Select } from "../../components/ui";
import { makeStale, REPORTS } from "../../lib/stale";
import { siteQuery } from "./queries";

const WINDOWS = [1, 7, 14, 28, 30, 90];
const FIELDS = ["name", "hosts", "currency", "time_zone", "meaningful_parameters", "attribution_window_days", "margin"];

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

export function SiteSettings({ siteId, canEdit, done }: Props) {
  const queries = useQueryClient();
  const path = { params: { path: { site_id: siteId } } };
  const site = useQuery(siteQuery(siteId));
  const save = useMutation({
    mutationFn: (form: FormData) => {
      const text = (name: string) => String(form.get(name) ?? "");
      return data(
        client.PATCH("/api/sites/{site_id}", {
          ...path,
          body: {
            name: text("name"),
            hosts: readHosts(text("hosts")),
            currency: text("currency"),
            time_zone: text("time_zone"),
            meaningful_parameters: text("meaningful_parameters")
              .split(/[\s,]+/)
              .filter(Boolean),
            keep_fragment: form.has("keep_fragment"),
            attribution_window_days: Number(text("attribution_window_days")),
            margin: text("margin") ? String(Number(text("margin")) / 100) : null,
          },
        }),
      );
    },
    onSuccess: async () => {
      await makeStale(queries, siteId, "site", "pixel", "coverage", ...REPORTS);
      await queries.invalidateQueries({ queryKey: ["session"] });
      toast("The settings are saved.");
      done();
    },
  });
  if (site.isPending) return <Loading what="the settings" />;
  if (site.isError) return <Failed error={site.error} retry={site.refetch} />;
  const s = site.data;
  const error = (name: string) => fieldError(save.error, name);
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(new FormData(e.currentTarget));
      }}
    >
      <fieldset disabled={!canEdit} className="contents">
        <Field label="Name" error={error("name")}>
          {(p) => <Input {...p} name="name" defaultValue={s.name} required />}
        </Field>
        <Field
          label="Hosts"
          hint="One a line. “staging.brackenhive.example = brackenhive.example” reports the first under the second."
          error={error("hosts")}
        >
          {(p) => (
            <textarea
              {...p}
              name="hosts"
              rows={3}
              className="num w-full rounded-box border border-quiet/50 bg-surface px-2.5 py-1.5"
              defaultValue={s.hosts.map((h) => (h.stands_for ? `${h.host} = ${h.stands_for}` : h.host)).join("\n")}
            />
          )}
        </Field>
        <div className="grid grid-cols-2 gap-3">
          <Field label="Currency" error={error("currency")}>
            {(p) => <Input {...p} name="currency" defaultValue={s.currency} maxLength={3} required />}
          </Field>
          <Field label="Time zone" hint="Its midnight ends a day." error={error("time_zone")}>
            {(p) => <Input {...p} name="time_zone" defaultValue={s.time_zone} required />}
          </Field>
        </div>
        <Field
          label="Margin in %"
          hint="What is left of an order before ads. It sets the return at which ads break even; empty means 100."
          error={error("margin")}
        >
          {(p) => (
            <Input
              {...p}
              name="margin"
              type="number"
              min="0.01"
              max="100"
              step="0.01"
              defaultValue={s.margin == null ? "" : Number(s.margin) * 100}
            />
          )}
        </Field>
        <Field
          label="Attribution window"
          hint="A visit this many days before a conversion can still be credited with it."
          error={error("attribution_window_days")}
        >
          {(p) => (
            <Select {...p} name="attribution_window_days" defaultValue={s.attribution_window_days}>
              {WINDOWS.map((days) => (
                <option key={days} value={days}>
                  {days === 1 ? "1 day" : `${days} days`}
                </option>
              ))}
            </Select>
          )}
        </Field>
        <Field
          label="Parameters that make another page"
          hint="Names in the address, for example product. All others are ignored when pages are told apart."
          error={error("meaningful_parameters")}
        >
          {(p) => <Input {...p} name="meaningful_parameters" defaultValue={s.meaningful_parameters.join(", ")} />}
        </Field>
        <label className="flex items-center gap-2">
          <input type="checkbox" name="keep_fragment" defaultChecked={s.keep_fragment} className="size-4 accent-plum" />
          Pages differ by what follows # in the address
        </label>
        <FormProblem problem={save.error} fields={FIELDS} />
        {canEdit ? (
          <Button type="submit" kind="main" className="self-start" disabled={save.isPending}>
            Save the settings
          </Button>
        ) : (
          <p className="text-quiet">Your role lets you look at these, not change them.</p>
        )}
      </fieldset>
    </form>
  );
}

/** How names in this site's links are written. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Radios } from "../../components/Radios";
import { Button } from "../../components/ui";
import { makeStale } from "../../lib/stale";
import type { Naming } from "./queries";

const PARTS = { source: "Source", medium: "Medium", campaign: "Campaign", ad_group: "Ad group", ad: "Ad" } as const;
type Part = keyof typeof PARTS;
type Space = Naming["space"];

export function NamingRules({ siteId, naming, done }: { siteId: number; naming: Naming; done: () => void }) {
  const queries = useQueryClient();
  const [now, setNow] = useState(naming);
  const save = useMutation({
    mutationFn: () =>
      data(client.PUT("/api/sites/{site_id}/link-naming", { params: { path: { site_id: siteId } }, body: now })),
    onSuccess: async () => {
      await makeStale(queries, siteId, "links", "link-look");
      toast("Links are written so from now on. Those that are kept stay as they are.");
      done();
    },
  });
  const need = (part: Part, on: boolean) =>
    setNow({ ...now, required: on ? [...now.required, part] : now.required.filter((p) => p !== part) });
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <p className="text-quiet">
        Cost joins visits only where names are spelt alike in the link and in what the ad side says of it.
      </p>
      <Checkbox label="In small letters" checked={now.lower} set={(lower) => setNow({ ...now, lower })} />
      <div>
        <p className="mb-1 font-medium">A space becomes</p>
        <Radios<Space>
          label="A space becomes"
          choices={{ "-": "a hyphen: may-bees", _: "an underscore: may_bees", " ": "a space as it was: may bees" }}
          chosen={now.space}
          choose={(space) => setNow({ ...now, space })}
        />
      </div>
      <fieldset className="flex flex-col gap-1">
        <legend className="mb-1 font-medium">Must be there</legend>
        {(Object.keys(PARTS) as Part[]).map((part) => (
          <Checkbox key={part} label={PARTS[part]} checked={now.required.includes(part)} set={(on) => need(part, on)} />
        ))}
      </fieldset>
      {save.isError && (
        <p role="alert" className="text-brick">
          {save.error.message}
        </p>
      )}
      <div>
        <Button type="submit" kind="main" disabled={save.isPending}>
          Write them so
        </Button>
      </div>
    </form>
  );
}

/** A channel as it is set up. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Form, Ticked, Unplaced, useServerForm, Written } from "../../components/form";
import { Radios } from "../../components/Radios";
import { Button } from "../../components/ui";
import { hour, words } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { filled, z } from "../../lib/zod";
import { conversionsQuery } from "../conversions/queries";
import type { AdChannel } from "./queries";

const schema = z.object({
  kind: z.enum(["http", "files"]),
  name: filled(),
  source: filled(),
  click_parameter: z.string(),
  base_url: z.string(),
  secret: z.string(),
  rules: z.array(z.number()),
  agreed: z.boolean(),
  reads_spend: z.boolean(),
});

interface Props {
  siteId: number;
  channel?: AdChannel;
  canEdit: boolean;
  done: (channel?: AdChannel) => void;
}

export function ChannelForm({ siteId, channel, canEdit, done }: Props) {
  const queries = useQueryClient();
  const rules = useQuery(conversionsQuery(siteId));
  const again = () => makeStale(queries, siteId, "channels", "uses", "today", "rail");
  const form = useServerForm({
    schema,
    values: {
      kind: channel?.kind ?? "http",
      name: channel?.name ?? "",
      source: channel?.source ?? "",
      click_parameter: channel?.click_parameter ?? "",
      base_url: channel?.base_url ?? "",
      secret: "",
      rules: channel?.rules.map((r) => r.id) ?? [],
      agreed: !!channel?.agreed_at,
      reads_spend: channel?.reads_spend ?? true,
    },
    send: (body) => {
      const path = { site_id: siteId };
      return channel
        ? data(
            client.PUT("/api/sites/{site_id}/channels/{channel_id}", {
              params: { path: { ...path, channel_id: channel.id } },
              body,
            }),
          )
        : data(client.POST("/api/sites/{site_id}/channels", { params: { path }, body }));
    },
    done: async (made) => {
      await again();
      toast(
        channel
          ? `${made.name} is changed.`
          : made.kind === "http"
            ? `${made.name} answers, and is set up.`
            : `${made.name} is set up.`,
      );
      done(made);
    },
  });
  const remove = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/channels/{channel_id}", {
          params: { path: { site_id: siteId, channel_id: id } },
        }),
      ),
    onSuccess: async () => {
      await again();
      if (channel)
        offerUndo(queries, {
          siteId,
          kind: "channel",
          id: channel.id,
          says: `${channel.name} is deleted. Everyone on its lists from this site is removed there; restoring it does not send them again.`,
          lists: ["channels", "uses"],
        });
      done();
    },
    onError: (error) => toast.error(error.message),
  });
  const kind = form.watch("kind");
  const chosen = form.watch("rules");
  return (
    <Form form={form} disabled={!canEdit}>
      {!channel && (
        <Radios
          label="How it is spoken with"
          chosen={kind}
          choose={(k) => form.setValue("kind", k)}
          choices={{ http: "Over HTTP, by itself", files: "By files that I take there" }}
        />
      )}
      <Written form={form} name="name" label="Name" placeholder="Practice network" />
      <div className="grid grid-cols-2 gap-3">
        <Written form={form} name="source" label="Source" hint="As its links say: utm_source." className="num" />
        <Written
          form={form}
          name="click_parameter"
          label="Click id in"
          hint="The parameter; it ends in clid."
          className="num"
        />
      </div>
      {kind === "http" && (
        <>
          <Written
            form={form}
            name="base_url"
            label="Address"
            hint="Of an adapter that speaks as docs/channels.md says."
            className="num"
            placeholder="https://"
          />
          <Written
            form={form}
            name="secret"
            label="Key"
            type="password"
            autoComplete="off"
            hint={channel ? "Kept, and not shown. Write another to change it." : "Kept, and not shown again."}
            className="num"
          />
        </>
      )}
      <fieldset className="flex flex-col gap-1">
        <legend className="mb-1 font-medium">Conversions that it is told of</legend>
        {rules.data?.map((rule) => (
          <Checkbox
            key={rule.id}
            label={words(rule.name)}
            checked={chosen.includes(rule.id)}
            set={(on) => form.setValue("rules", on ? [...chosen, rule.id] : chosen.filter((id) => id !== rule.id))}
          />
        ))}
        <p className="text-small text-quiet">
          Each that is credited to one of its clicks, with its value,{" "}
          {kind === "http" ? "within a minute" : "in the next file that is taken"}; when it changes, again.
        </p>
      </fieldset>
      {kind === "http" && (
        <Ticked
          form={form}
          name="reads_spend"
          label="Read what it cost each morning"
          hint="The last three days anew, through the same import as files."
        />
      )}
      <Ticked
        form={form}
        name="agreed"
        label="People have agreed to this"
        hint={
          channel?.agreed_at
            ? `Said by ${channel.agreed_by || "a former member"}, ${hour(channel.agreed_at)}. Without it no audience goes there.`
            : "That hashes of their e-mail addresses and customer ids go to this channel. Without it no audience does. Who said so is kept."
        }
      />
      <Unplaced form={form} />
      {canEdit && (
        <div className="flex gap-2">
          <Button type="submit" kind="main" disabled={form.pending}>
            {form.pending ? "Trying it …" : channel ? "Save" : kind === "http" ? "Try it and set it up" : "Set it up"}
          </Button>
          {channel && (
            <Button kind="against" disabled={remove.isPending} onClick={() => remove.mutate(channel.id)}>
              Remove
            </Button>
          )}
        </div>
      )}
    </Form>
  );
}

/** How the columns of a channel's files are named, as its ad program wants them. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Button, Field, fieldError, Input } from "../../components/ui";
import { makeStale } from "../../lib/stale";
import type { AdChannel } from "./queries";

const MEMBERS = {
  email: "E-mail address (SHA-256)",
  id: "Customer id (SHA-256)",
  change: "Added or removed",
};
const CONVERSIONS = {
  click: "Click id",
  name: "Conversion",
  time: "Time",
  value: "Value",
  currency: "Currency",
  event: "Order number, else event",
  change: "New, changed or withdrawn",
};
type Heads = Record<string, string>;
const named = (heads: Heads) => Object.fromEntries(Object.entries(heads).filter(([, head]) => head.trim()));

export function Columns({ siteId, channel, canEdit }: { siteId: number; channel: AdChannel; canEdit: boolean }) {
  const queries = useQueryClient();
  const [members, setMembers] = useState<Heads>(channel.heads.members ?? {});
  const [conversions, setConversions] = useState<Heads>(channel.heads.conversions ?? {});
  const save = useMutation({
    mutationFn: () =>
      data(
        client.PUT("/api/sites/{site_id}/channels/{channel_id}/heads", {
          params: { path: { site_id: siteId, channel_id: channel.id } },
          body: { members: named(members), conversions: named(conversions) },
        }),
      ),
    onSuccess: () => toast("Files are written so from now on."),
    onSettled: () => makeStale(queries, siteId, "channels"),
  });
  const part = (title: string, columns: Heads, heads: Heads, set: (heads: Heads) => void, field: string) => (
    <fieldset disabled={!canEdit} className="flex flex-col gap-2">
      <legend className="mb-1 font-head text-lead font-semibold">{title}</legend>
      {Object.entries(columns).map(([column, says]) => (
        <Field key={column} label={says}>
          {(p) => (
            <Input
              {...p}
              className="num"
              placeholder="not in the file"
              value={heads[column] ?? ""}
              onChange={(e) => set({ ...heads, [column]: e.target.value })}
            />
          )}
        </Field>
      ))}
      {fieldError(save.error, field) && <p className="text-brick">{fieldError(save.error, field)}</p>}
    </fieldset>
  );
  return (
    <form
      className="flex flex-col gap-5"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <p className="text-quiet">
        What each column is called in the files for this ad program. One that has no name is left out. It is remembered.
      </p>
      {part("Members", MEMBERS, members, setMembers, "members")}
      {part("Conversions", CONVERSIONS, conversions, setConversions, "conversions")}
      {canEdit && (
        <div>
          <Button type="submit" kind="main" disabled={save.isPending}>
            Remember these
          </Button>
        </div>
      )}
    </form>
  );
}

/** Keeps what is on the screen under a name; where a kept view is open, what was changed in it. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Button, Field, FormProblem, fieldError, Input } from "../../components/ui";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { type Place, sameWords, viewsQuery, wordsOf } from "./queries";

interface Props {
  siteId: number;
  place: Place;
  search: object & { view?: number };
  /** Take the view's number into the address. */
  opened: (view: number) => void;
}

export function SaveView({ siteId, place, search, opened }: Props) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState("");
  const known = useQuery(viewsQuery(siteId)).data?.find((v) => v.id === search.view && v.place === place);
  const words = wordsOf(search);
  const save = useMutation({
    mutationFn: (over: number | undefined) => {
      const body = { name: over && known ? known.name : name, place, words };
      const path = { site_id: siteId };
      return over
        ? data(
            client.PUT("/api/sites/{site_id}/views/{view_id}", { params: { path: { ...path, view_id: over } }, body }),
          )
        : data(client.POST("/api/sites/{site_id}/views", { params: { path }, body }));
    },
    onSuccess: async (view) => {
      await makeStale(queries, siteId, "views");
      setOpen(false);
      setName("");
      toast(`“${view.name}” is saved: it stands in the list on the left.`);
      opened(view.id);
    },
  });
  if (!site.canEdit) return null;
  const changed = known && !sameWords(known.words, words);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button>{changed ? "Save changes" : "Save this view"}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Save this view"
          className="z-30 w-80 rounded-box border bg-surface p-3"
        >
          {changed && (
            <div className="mb-3 border-b pb-3">
              <Button kind="main" disabled={save.isPending} onClick={() => save.mutate(known.id)}>
                Change <bdi>“{known.name}”</bdi>
              </Button>
              <p className="mt-1 text-small text-quiet">Everybody who opens it sees it so from now on.</p>
            </div>
          )}
          <form
            className="flex flex-col gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              save.mutate(undefined);
            }}
          >
            <Field
              label={changed ? "Or keep both: another name" : "Name"}
              hint="Lens, columns, order and comparison are kept, for everybody in the workspace."
              error={fieldError(save.error, "name")}
            >
              {(p) => <Input {...p} value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />}
            </Field>
            <FormProblem problem={save.error} fields={["name"]} />
            <Button type="submit" kind={changed ? "plain" : "main"} className="self-start" disabled={save.isPending}>
              Save
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

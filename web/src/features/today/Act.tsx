/** What a note on Today lets one do at once. Both can be undone. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Button } from "../../components/ui";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { useSetAside } from "../pixel/useSetAside";
import type { Note } from "./note";

export function Act({ siteId, act }: { siteId: number; act: NonNullable<Note["act"]> }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const { aside } = useSetAside(siteId);
  const add = useMutation({
    mutationFn: (host: string) =>
      data(
        client.POST("/api/sites/{site_id}/hosts", {
          params: { path: { site_id: siteId } },
          body: { host, stands_for: "" },
        }),
      ),
    onSuccess: () => toast("The host is added. Its pages count from now on."),
    onError: (error) => toast.error(error.message),
    onSettled: () => makeStale(queries, siteId, "today", "rail"),
  });
  if (!site.canEdit) return null;
  const one = "host" in act ? add : aside;
  const says = "Excluded. Reports leave it out within seconds. Pixel lists it.";
  return (
    <Button
      className="mt-1.5"
      disabled={one.isPending || one.isSuccess}
      onClick={() => ("host" in act ? add.mutate(act.host) : aside.mutate({ what: act.aside, says }))}
    >
      {"host" in act ? "Add this host" : "Exclude"}
    </Button>
  );
}

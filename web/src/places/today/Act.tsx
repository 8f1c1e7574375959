/** What a note on Today lets one do at once. Both can be undone. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { useSite } from "../../app/session";
import { Button } from "../../parts/ui";
import type { Note } from "./Today";

export function Act({ siteId, act }: { siteId: number; act: NonNullable<Note["act"]> }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const path = { site_id: siteId };
  const again = () => queries.invalidateQueries({ queryKey: ["today", siteId] });
  const back = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/exclusions/{exclusion_id}", {
          params: { path: { ...path, exclusion_id: id } },
        }),
      ),
    onSettled: again,
  });
  const act_ = useMutation({
    mutationFn: async () => {
      if ("host" in act) {
        await data(
          client.POST("/api/sites/{site_id}/hosts", { params: { path }, body: { host: act.host, stands_for: "" } }),
        );
        return null;
      }
      return data(client.POST("/api/sites/{site_id}/exclusions", { params: { path }, body: act.aside }));
    },
    onSuccess: (made) => {
      if (made)
        toast("Set aside. Reports leave it out within seconds; Pixel lists it.", {
          action: { label: "Undo", onClick: () => back.mutate(made.id) },
          duration: 12_000,
        });
      else toast("The host is added. Its pages count from now on.");
    },
    onError: (error) => toast.error(error.message),
    onSettled: again,
  });
  if (!site.canEdit) return null;
  return (
    <Button className="mt-1.5" disabled={act_.isPending || act_.isSuccess} onClick={() => act_.mutate()}>
      {"host" in act ? "Add this host" : "Set these aside"}
    </Button>
  );
}

/** Takes what looks forged out of reports, and puts it back; the answer can be undone for a while. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { makeStale, REPORTS } from "../../lib/stale";

export function useSetAside(siteId: number) {
  const queries = useQueryClient();
  const path = { site_id: siteId };
  const onSettled = () => makeStale(queries, siteId, "exclusions", ...REPORTS);
  const back = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/exclusions/{exclusion_id}", {
          params: { path: { ...path, exclusion_id: id } },
        }),
      ),
    onSettled,
  });
  const aside = useMutation({
    /** `says`: what has been set aside, as a sentence. */
    mutationFn: ({ what }: { what: Schemas["ExclusionIn"]; says: string }) =>
      data(client.POST("/api/sites/{site_id}/exclusions", { params: { path }, body: what })),
    onSuccess: (made, { says }) =>
      toast(says, { action: { label: "Undo", onClick: () => back.mutate(made.id) }, duration: 12_000 }),
    onError: (error) => toast.error(error.message),
    onSettled,
  });
  return { aside, back };
}

/** Audiences made from where one is: of those who left a path, or gave up a form. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { toast } from "sonner";
import type { Schemas } from "../../api/client";
import { client, data } from "../../api/client";
import { makeStale } from "../../lib/stale";

/** Says which audiences are made, and leads there. */
function useMade(siteId: number) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  return async (made: { id: number; name: string }[]) => {
    await makeStale(queries, siteId, "audiences", "rail");
    const [one] = made;
    toast(
      made.length === 1 && one ? `The audience “${one.name}” is made.` : `${made.length} audiences are made.`,
      one && {
        action: {
          label: "Look",
          onClick: () =>
            navigate(
              made.length === 1
                ? {
                    to: "/s/$siteId/audiences/$audienceId",
                    params: { siteId: String(siteId), audienceId: String(one.id) },
                  }
                : { to: "/s/$siteId/audiences", params: { siteId: String(siteId) } },
            ),
        },
      },
    );
  };
}

const at = (siteId: number) => ({ params: { path: { site_id: siteId } } });

export function useKeepLeft(siteId: number) {
  return useMutation({
    mutationFn: (body: Schemas["LeftIn"]) =>
      data(client.POST("/api/sites/{site_id}/paths/left", { ...at(siteId), body })),
    onSuccess: useMade(siteId),
    onError: (failed) => toast(failed.message),
  });
}

export function useMakeAudience(siteId: number) {
  const made = useMade(siteId);
  return useMutation({
    mutationFn: (body: Schemas["AudienceIn"]) =>
      data(client.POST("/api/sites/{site_id}/audiences", { ...at(siteId), body })),
    onSuccess: (one) => made([one]),
    onError: (failed) => toast(failed.message),
  });
}

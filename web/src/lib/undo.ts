/** What was deleted can be had back at once, as long as the notice stands; later under Deleted. */
import type { QueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../api/client";
import { makeStale } from "./stale";

interface Gone {
  siteId: number;
  kind: string;
  id: number;
  /** "Starter kit orders is deleted." */
  says: string;
  /** Lists that it is in. */
  lists: string[];
}

export async function restore(siteId: number, kind: string, id: number) {
  await data(
    client.POST("/api/sites/{site_id}/deleted/{kind}/{thing_id}/restore", {
      params: { path: { site_id: siteId, kind, thing_id: id } },
    }),
  );
}

/** The notice stays until it is closed or the page is left. */
export function offerUndo(queries: QueryClient, { siteId, kind, id, says, lists }: Gone) {
  makeStale(queries, siteId, "deleted", ...lists);
  toast(says, {
    duration: Number.POSITIVE_INFINITY,
    closeButton: true,
    action: {
      label: "Undo",
      onClick: () =>
        restore(siteId, kind, id)
          .catch((error: Error) => toast.error(error.message))
          .finally(() => makeStale(queries, siteId, "deleted", ...lists)),
    },
  });
}

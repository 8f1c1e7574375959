/** What asks for somebody today: its number is in the rail, the rest in the section. */
import { client, data } from "../../api/client";

const at = (siteId: number) => ({ params: { path: { site_id: siteId } } });

export const todayQuery = (siteId: number) => ({
  queryKey: ["today", siteId],
  queryFn: () => data(client.GET("/api/sites/{site_id}/today", at(siteId))),
  refetchInterval: 60_000,
});

export const toMendQuery = (siteId: number) => ({
  queryKey: ["today", siteId, "count"],
  queryFn: () => data(client.GET("/api/sites/{site_id}/today/count", at(siteId))),
  staleTime: 60_000,
  refetchInterval: 120_000,
});

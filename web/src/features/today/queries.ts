/** What asks for somebody today: its number is in the rail, the rest in the section. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";

const at = (siteId: number) => ({ params: { path: { site_id: siteId } } });

export const todayQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["today", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/today", at(siteId))),
    refetchInterval: 60_000,
  });

export const railQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["rail", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/rail", at(siteId))),
    refetchInterval: 30_000,
  });

export const decisionsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["decisions", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/decisions", { params: { path: { site_id: siteId } } })),
  });

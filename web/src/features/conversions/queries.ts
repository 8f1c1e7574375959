/** What the server knows of conversions and bridge links. A key begins with the list that a change makes stale. */
import { queryOptions } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";

const at = (siteId: number) => ({ params: { path: { site_id: siteId } } });

export const conversionsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["conversions", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/conversions", at(siteId))),
    // While the past is being counted, its progress shows.
    refetchInterval: (query) => (query.state.data?.some((c) => c.recounting) ? 1_000 : false),
  });

export const versionsQuery = (siteId: number, ruleId: number, version: number) =>
  queryOptions({
    queryKey: ["conversions", siteId, ruleId, "versions", version],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/conversions/{rule_id}/versions", {
          params: { path: { site_id: siteId, rule_id: ruleId } },
        }),
      ),
  });

export const previewQuery = (siteId: number, body: Schemas["PreviewIn"]) =>
  queryOptions({
    queryKey: ["preview", siteId, body],
    queryFn: ({ signal }) =>
      data(client.POST("/api/sites/{site_id}/conversions/preview", { ...at(siteId), body, signal })),
    placeholderData: (before) => before,
    retry: false,
  });

export const seenQuery = (siteId: number, kind: Schemas["SeenOut"]["kind"]) =>
  queryOptions({
    queryKey: ["seen", siteId, kind],
    queryFn: () =>
      data(client.GET("/api/sites/{site_id}/seen", { params: { path: { site_id: siteId }, query: { kind } } })),
  });

export const bridgesQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["bridges", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/bridges", at(siteId))),
    refetchInterval: 10_000,
  });

export const broughtQuery = (siteId: number, linkId: number, by: string, days: number) =>
  queryOptions({
    queryKey: ["bridges", siteId, linkId, by, days],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/bridges/{link_id}/brought", {
          params: { path: { site_id: siteId, link_id: linkId }, query: { by, days } },
        }),
      ),
    placeholderData: (before) => before,
  });

/** What the server knows of single hits and of rehearsals. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";

const at = (siteId: number) => ({ params: { path: { site_id: siteId } } });

export const visitorHitsQuery = (siteId: number, visitor: number | undefined, newest: string | undefined) =>
  queryOptions({
    // Read anew when something of theirs has come in.
    queryKey: ["live", siteId, visitor, newest],
    queryFn: () =>
      data(client.GET("/api/sites/{site_id}/live", { params: { path: { site_id: siteId }, query: { visitor } } })),
    enabled: visitor !== undefined,
    placeholderData: (before) => before,
  });

export const whyQuery = (siteId: number, hitId: string) =>
  queryOptions({
    queryKey: ["why", siteId, hitId],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/live/{hit_id}/why", { params: { path: { site_id: siteId, hit_id: hitId } } }),
      ),
  });

export const rehearsalsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["rehearsals", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/rehearsals", at(siteId))),
  });

export const rehearsalQuery = (siteId: number, id: number) =>
  queryOptions({
    queryKey: ["rehearsals", siteId, id],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/rehearsals/{rehearsal_id}", {
          params: { path: { site_id: siteId, rehearsal_id: id } },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.ended_at ? false : 1_500),
  });

export const stepsQuery = (siteId: number, ruleId: number) =>
  queryOptions({
    queryKey: ["steps", siteId, ruleId],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/conversions/{rule_id}/steps", {
          params: { path: { site_id: siteId, rule_id: ruleId } },
        }),
      ),
  });

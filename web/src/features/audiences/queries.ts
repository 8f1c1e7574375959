/** What the server knows of audiences and of single visitors. */
import { queryOptions } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";

const at = (siteId: number) => ({ params: { path: { site_id: siteId } } });

export const audiencesQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["audiences", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/audiences", at(siteId))),
    refetchInterval: 15_000,
  });

export const audienceVersionsQuery = (siteId: number, audienceId: number, version: number) =>
  queryOptions({
    queryKey: ["audiences", siteId, audienceId, "versions", version],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/audiences/{audience_id}/versions", {
          params: { path: { site_id: siteId, audience_id: audienceId } },
        }),
      ),
  });

type Asked = Schemas["AudiencePreviewIn"];
// What was asked before is given up when the definition changes (the signal), and stays to be seen until the answer.
const asked = { placeholderData: <T>(before: T) => before, retry: false } as const;

export const previewQuery = (siteId: number, body: Asked) =>
  queryOptions({
    queryKey: ["audience preview", siteId, body],
    queryFn: ({ signal }) =>
      data(client.POST("/api/sites/{site_id}/audiences/preview", { ...at(siteId), body, signal })),
    refetchInterval: 5_000,
    ...asked,
  });

export const growthQuery = (siteId: number, body: Asked) =>
  queryOptions({
    queryKey: ["audience growth", siteId, body],
    queryFn: ({ signal }) =>
      data(client.POST("/api/sites/{site_id}/audiences/growth", { ...at(siteId), body, signal })),
    ...asked,
  });

export const examplesQuery = (siteId: number, body: Asked) =>
  queryOptions({
    queryKey: ["audience examples", siteId, body],
    queryFn: ({ signal }) =>
      data(client.POST("/api/sites/{site_id}/audiences/examples", { ...at(siteId), body, signal })),
    refetchInterval: 10_000,
    ...asked,
  });

export const overlapQuery = (siteId: number, of: number[]) =>
  queryOptions({
    queryKey: ["audiences", siteId, "overlap", of],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/audiences/overlap", {
          params: { path: { site_id: siteId }, query: { of } },
        }),
      ),
    enabled: of.length > 1,
    placeholderData: (before) => before,
  });

export const foundQuery = (siteId: number, find: string) =>
  queryOptions({
    queryKey: ["visitors", siteId, find],
    queryFn: () =>
      data(client.GET("/api/sites/{site_id}/visitors", { params: { path: { site_id: siteId }, query: { find } } })),
    enabled: find.trim().length > 0,
    retry: false,
  });

export const visitorQuery = (siteId: number, visitorId: number) =>
  queryOptions({
    queryKey: ["visitors", siteId, visitorId],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/visitors/{visitor_id}", {
          params: { path: { site_id: siteId, visitor_id: visitorId } },
        }),
      ),
  });

export type Kept = Schemas["ListOut"];

export const listsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["lists", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/lists", at(siteId))),
  });

export const takingsQuery = (siteId: number, audienceId: number) =>
  queryOptions({
    queryKey: ["audiences", siteId, audienceId, "takings"],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/audiences/{audience_id}/takings", {
          params: { path: { site_id: siteId, audience_id: audienceId } },
        }),
      ),
    staleTime: 0,
  });

/** What the server knows of the tag, its kit, the site's settings and what is set aside. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";

const at = (siteId: number) => ({ params: { path: { site_id: siteId } } });

export const pixelQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["pixel", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/pixel", at(siteId))),
  });

export const coverageQuery = (siteId: number, search: string, state: string) =>
  queryOptions({
    queryKey: ["coverage", siteId, search, state],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/coverage", {
          params: { path: { site_id: siteId }, query: { search, state } },
        }),
      ),
    placeholderData: (before) => before,
  });

export const siteQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["site", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}", at(siteId))),
  });

export const proofKeysQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["proof-keys", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/proof-keys", at(siteId))),
  });

export const exclusionsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["exclusions", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/exclusions", at(siteId))),
    refetchInterval: (query) => (query.state.data?.some((e) => e.visits == null) ? 1_500 : false),
  });

export const kitQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["kit", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/kit", at(siteId))),
  });

export const kitLinksQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["kit", siteId, "links"],
    queryFn: () => data(client.GET("/api/sites/{site_id}/kit/links", at(siteId))),
  });

export const sharedKitQuery = (token: string) =>
  queryOptions({
    queryKey: ["shared-kit", token],
    queryFn: () => data(client.GET("/api/kit/{token}", { params: { path: { token } } })),
    refetchInterval: (query) => (query.state.error ? false : 2_000),
    retry: false,
  });

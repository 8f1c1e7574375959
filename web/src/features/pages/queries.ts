/** What the server knows of landing pages. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";
import { type Lens, lensQuery } from "../../lib/lens";

export const lensChoicesQuery = (siteId: number, lens: Lens) =>
  queryOptions({
    queryKey: ["lens", siteId, lensQuery(lens)],
    queryFn: () =>
      data(client.GET("/api/sites/{site_id}/lens", { params: { path: { site_id: siteId }, query: lensQuery(lens) } })),
    placeholderData: (before) => before,
  });

export const pagesQuery = (siteId: number, query: Lens & { visitors?: boolean; path?: number }) =>
  queryOptions({
    queryKey: ["pages", siteId, query],
    queryFn: () => data(client.GET("/api/sites/{site_id}/pages", { params: { path: { site_id: siteId }, query } })),
    placeholderData: (before) => before,
  });

export const compareQuery = (siteId: number, lens: Lens, a: number, b: number) =>
  queryOptions({
    queryKey: ["pages", siteId, "compare", lensQuery(lens), a, b],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/pages/compare", {
          params: { path: { site_id: siteId }, query: { ...lensQuery(lens), a, b } },
        }),
      ),
  });

export const goalQuery = (siteId: number, pageId: number) =>
  queryOptions({
    queryKey: ["goal", siteId, pageId],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/pages/{page_id}/goal", {
          params: { path: { site_id: siteId, page_id: pageId } },
        }),
      ),
  });

export const worstQuery = (siteId: number, lens: Lens) =>
  queryOptions({
    queryKey: ["pages", siteId, "worst", lensQuery(lens)],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/pages/worst", {
          params: { path: { site_id: siteId }, query: lensQuery(lens) },
        }),
      ),
    placeholderData: (before) => before,
  });

export const seriesQuery = (siteId: number, lens: Lens, page: number[], grain: "day" | "week") =>
  queryOptions({
    queryKey: ["pages", siteId, "series", lensQuery(lens), page, grain],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/pages/series", {
          params: { path: { site_id: siteId }, query: { ...lensQuery(lens), page, grain } },
        }),
      ),
    placeholderData: (before) => before,
  });

export const besideQuery = (siteId: number, lens: Lens, page: number[]) =>
  queryOptions({
    queryKey: ["pages", siteId, "beside", lensQuery(lens), page],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/pages/beside", {
          params: { path: { site_id: siteId }, query: { ...lensQuery(lens), page } },
        }),
      ),
  });

/** What the server knows of sources. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";
import { type Lens, lensQuery } from "../../lib/lens";

export const sourcesQuery = (siteId: number, lens: Lens, by: string | undefined, at: string[]) =>
  queryOptions({
    queryKey: ["sources", siteId, lensQuery(lens), by ?? "", at],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/sources", {
          params: { path: { site_id: siteId }, query: { ...lensQuery(lens), by, at } },
        }),
      ),
    placeholderData: (before) => before,
  });

export const hoursQuery = (siteId: number, lens: Lens, at: string[]) =>
  queryOptions({
    queryKey: ["sources", siteId, "hours", lensQuery(lens), at],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/sources/hours", {
          params: { path: { site_id: siteId }, query: { ...lensQuery(lens), at } },
        }),
      ),
    placeholderData: (before) => before,
  });

export const countsQuery = (siteId: number, lens: Lens) =>
  queryOptions({
    queryKey: ["sources", siteId, "counts", lensQuery(lens)],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/two-counts", {
          params: { path: { site_id: siteId }, query: lensQuery(lens) },
        }),
      ),
    placeholderData: (before) => before,
  });

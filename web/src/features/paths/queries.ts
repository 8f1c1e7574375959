/** What the server knows of paths. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";
import type { Lens } from "../../lib/lens";
import type { Asked } from "./model";

const at = (siteId: number) => ({ params: { path: { site_id: siteId } } });

export const keptQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["paths", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/paths", at(siteId))),
  });

export const reportQuery = (siteId: number, body: Asked) =>
  queryOptions({
    queryKey: ["pages", siteId, "path", body],
    queryFn: ({ signal }) => data(client.POST("/api/sites/{site_id}/paths/report", { ...at(siteId), body, signal })),
    placeholderData: (before) => before,
    retry: false,
  });

export const proposedQuery = (siteId: number, conversion: number) =>
  queryOptions({
    queryKey: ["pages", siteId, "proposed", conversion],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/paths/proposed", {
          params: { path: { site_id: siteId }, query: { conversion } },
        }),
      ),
  });

export type FormsLens = Pick<Lens, "period" | "origin" | "device" | "audience">;

export const formsQuery = (siteId: number, { period, origin, device, audience }: FormsLens) =>
  queryOptions({
    queryKey: ["pages", siteId, "forms", period, origin, device, audience],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/forms", {
          params: { path: { site_id: siteId }, query: { period, origin, device, audience } },
        }),
      ),
    placeholderData: (before) => before,
  });

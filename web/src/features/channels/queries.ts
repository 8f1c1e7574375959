/** What the server knows of channels. */
import { queryOptions } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";

export type AdChannel = Schemas["AdChannelOut"];
export type AudienceUse = Schemas["AudienceUseOut"];
export type Feedback = Schemas["FeedbackOut"];

export const channelsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["channels", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/channels", { params: { path: { site_id: siteId } } })),
    refetchInterval: 15_000,
  });

export const usesQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["uses", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/uses", { params: { path: { site_id: siteId } } })),
    refetchInterval: 15_000,
  });

export const reportsQuery = (siteId: number, channelId: number) =>
  queryOptions({
    queryKey: ["reports", siteId, channelId],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/channels/{channel_id}/reports", {
          params: { path: { site_id: siteId, channel_id: channelId } },
        }),
      ),
  });

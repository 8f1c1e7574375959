/** What the server knows of ads' links. */
import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";

export type AdLink = Schemas["AdLinkOut"];
export type LinkIn = Schemas["LinkIn"];
export type Naming = Schemas["NamingJson"];

export const linksQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["links", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/links", { params: { path: { site_id: siteId } } })),
  });

export const lookQuery = (siteId: number, body: LinkIn) =>
  queryOptions({
    queryKey: ["link-look", siteId, body],
    queryFn: () =>
      data(client.POST("/api/sites/{site_id}/links/look", { params: { path: { site_id: siteId } }, body })),
    placeholderData: keepPreviousData,
    retry: false,
    enabled: body.destination.trim() !== "",
  });

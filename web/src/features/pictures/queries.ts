/** How pages look. */
import { queryOptions } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";

export type Looks = Schemas["LooksOut"];
export type Picture = Schemas["PictureOut"];
export type Width = Picture["width"];

export const looksQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["pictures", siteId],
    queryFn: async () => {
      const all = await data(client.GET("/api/sites/{site_id}/pictures", { params: { path: { site_id: siteId } } }));
      return new Map(all.map((looks) => [looks.page_id, looks]));
    },
  });

export const picturesQuery = (siteId: number, pageId: number) =>
  queryOptions({
    queryKey: ["pictures", siteId, pageId],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/pages/{page_id}/pictures", {
          params: { path: { site_id: siteId, page_id: pageId } },
        }),
      ),
  });

export const imageOf = (siteId: number, picture: Picture, small = false) =>
  `/api/sites/${siteId}/pictures/${picture.id}${small ? "?small=true" : ""}`;

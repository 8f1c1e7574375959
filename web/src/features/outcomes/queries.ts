/** What the server knows of outcomes. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";

export const outcomesQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["outcomes", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/outcomes", { params: { path: { site_id: siteId } } })),
  });

/** What the server knows of alerts. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";

export const alertsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["alerts", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/alerts", { params: { path: { site_id: siteId } } })),
  });

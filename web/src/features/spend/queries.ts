/** What the server knows of spend files. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";

export const spendQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["spend", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/spend", { params: { path: { site_id: siteId } } })),
  });

export const budgetsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["budgets", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/budgets", { params: { path: { site_id: siteId } } })),
  });

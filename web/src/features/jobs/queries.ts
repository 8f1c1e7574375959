/** What the server knows of work in the background. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";

export const jobsQuery = (workspaceId: number) =>
  queryOptions({
    queryKey: ["jobs", workspaceId],
    queryFn: () =>
      data(client.GET("/api/workspaces/{workspace_id}/jobs", { params: { path: { workspace_id: workspaceId } } })),
    refetchInterval: 3_000,
  });

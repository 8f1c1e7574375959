/** What the server knows of the workspace's people. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";

const at = (workspaceId: number) => ({ params: { path: { workspace_id: workspaceId } } });

export const membersQuery = (workspaceId: number) =>
  queryOptions({
    queryKey: ["members", workspaceId],
    queryFn: () => data(client.GET("/api/workspaces/{workspace_id}/members", at(workspaceId))),
  });

export const invitationsQuery = (workspaceId: number) =>
  queryOptions({
    queryKey: ["invitations", workspaceId],
    queryFn: () => data(client.GET("/api/workspaces/{workspace_id}/invitations", at(workspaceId))),
  });

export const tokensQuery = (workspaceId: number) =>
  queryOptions({
    queryKey: ["tokens", workspaceId],
    queryFn: () =>
      data(client.GET("/api/workspaces/{workspace_id}/tokens", { params: { path: { workspace_id: workspaceId } } })),
  });

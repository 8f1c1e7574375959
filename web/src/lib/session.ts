import { useQuery } from "@tanstack/react-query";
import { client, data, type Schemas } from "../api/client";

export type SiteLink = Schemas["SiteLink"];

export const sessionQuery = {
  queryKey: ["session"],
  queryFn: () => data(client.GET("/api/session")),
  staleTime: 60_000,
};

export const useSession = () => useQuery(sessionQuery);

/** The site of the address, for the signed-in person. Its parent route has made sure of both. */
export function useSite(siteId: number): SiteLink & { canEdit: boolean; workspaceId: number } {
  const session = useSession().data;
  for (const workspace of session?.workspaces ?? []) {
    const site = workspace.sites.find((each) => each.id === siteId);
    if (site) return { ...site, canEdit: site.role !== "viewer", workspaceId: workspace.id };
  }
  throw new Error("This site does not exist, or you have no access to it.");
}

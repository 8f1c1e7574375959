/** What the server knows of an invitation. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";

export const offerQuery = (token: string) =>
  queryOptions({
    queryKey: ["invitation", token],
    queryFn: () => data(client.GET("/api/invitations/{token}", { params: { path: { token } } })),
    retry: false,
  });

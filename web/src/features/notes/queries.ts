/** Notes on days. */
import { queryOptions } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";

export type Note = Schemas["NoteOut"];

export const notesQuery = (siteId: number, first: string, last: string, page: number[] = []) =>
  queryOptions({
    queryKey: ["notes", siteId, first, last, page],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/notes", {
          params: { path: { site_id: siteId }, query: { first, last, page } },
        }),
      ),
  });

/** What the server knows of saved views. */
import { queryOptions } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";

export type SavedView = Schemas["ViewOut"];
export type Place = SavedView["place"];

export const viewsQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["views", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/views", { params: { path: { site_id: siteId } } })),
    staleTime: 60_000,
  });

export const usesQuery = (siteId: number, viewId: number) =>
  queryOptions({
    queryKey: ["views", siteId, "uses", viewId],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/views/{view_id}/uses", {
          params: { path: { site_id: siteId, view_id: viewId } },
        }),
      ),
  });

/** What of an address is kept: not what is open in it, nor which view it came from. */
export function wordsOf(search: object): Record<string, unknown> {
  const { view: _view, open: _open, a: _a, b: _b, c: _c, d: _d, ...rest } = search as Record<string, unknown>;
  return Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== undefined));
}

/** The same words in any order are the same view. */
export const sameWords = (a: object, b: object) => {
  const text = (o: object) =>
    JSON.stringify(
      Object.entries(o)
        .filter(([, v]) => v !== undefined)
        .sort(([x], [y]) => (x < y ? -1 : 1)),
    );
  return text(a) === text(b);
};

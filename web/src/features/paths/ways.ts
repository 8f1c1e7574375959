/** Ways: what of them stands in the address, and what the server knows. */
import { queryOptions } from "@tanstack/react-query";
import { client, data } from "../../api/client";
import { type Lens, readLens } from "../../lib/lens";

export interface WaysSearch extends Pick<Lens, "period" | "origin" | "device" | "audience"> {
  page?: number;
  /** Only of views that have these at these distances: "<distance>:<page>" or ":none". */
  at?: string[];
}

export const readWaysSearch = (s: Record<string, unknown>): WaysSearch => {
  const { period, origin, device, audience } = readLens(s);
  const at = Array.isArray(s.at) ? s.at.filter((a) => typeof a === "string") : [];
  return {
    period,
    origin,
    device,
    audience,
    page: Number(s.page) > 0 ? Number(s.page) : undefined,
    at: at.length ? at : undefined,
  };
};

/** The conditions with one more, or without it where it stood. One at a distance. */
export function toggled(at: string[], distance: number, page: number | null): string[] {
  const said = `${distance}:${page ?? "none"}`;
  const others = at.filter((a) => !a.startsWith(`${distance}:`));
  return at.includes(said) ? others : [...others, said];
}

export const waysQuery = (siteId: number, page: number, { at, ...lens }: WaysSearch) =>
  queryOptions({
    queryKey: ["ways", siteId, page, lens, at ?? []],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/ways", {
          params: { path: { site_id: siteId }, query: { ...lens, page, at } },
        }),
      ),
    placeholderData: (before) => before,
  });

import { useQuery } from "@tanstack/react-query";
import { client, data } from "../api/client";

/** Suggests the site's recorded pages to inputs with `list="known-pages"`. */
export function KnownPages({ siteId }: { siteId: number }) {
  const known = useQuery({
    queryKey: ["pixel", siteId, ""],
    queryFn: () => data(client.GET("/api/sites/{site_id}/pixel", { params: { path: { site_id: siteId } } })),
  });
  return (
    <datalist id="known-pages">
      {known.data?.pages.map((page) => (
        <option key={page.id} value={page.path}>
          {page.title}
        </option>
      ))}
    </datalist>
  );
}

import { useQuery } from "@tanstack/react-query";
import { pixelQuery } from "../features/pixel/queries";

/** Suggests the site's recorded pages to inputs with `list="known-pages"`. */
export function KnownPages({ siteId }: { siteId: number }) {
  const known = useQuery(pixelQuery(siteId));
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

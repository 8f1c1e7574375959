/** A saved view by its name, which opens it. */
import { Link } from "@tanstack/react-router";
import type { SavedView } from "./queries";

export function OpenView({ siteId, view, className }: { siteId: number; view: SavedView; className?: string }) {
  return (
    <Link
      to={`/s/$siteId/${view.place}`}
      params={{ siteId: String(siteId) }}
      search={{ ...view.words, view: view.id }}
      className={className ?? "text-plum underline"}
    >
      <bdi>{view.name}</bdi>
    </Link>
  );
}

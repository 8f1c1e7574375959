/** How the pages are looked at: one word, and the same lens. */
import { useNavigate } from "@tanstack/react-router";
import type { ReactNode } from "react";
import { Word } from "../../components/LensSentence";
import { type Lens, lensQuery } from "../../lib/lens";

const VIEWS = { pages: "as a table", wall: "as a wall", worst: "worst first" };
type View = keyof typeof VIEWS;

interface Props {
  siteId: number;
  view: View;
  search: Lens;
  children?: ReactNode;
}

export function ViewWord({ siteId, view, search, children }: Props) {
  const navigate = useNavigate();
  return (
    <p className="mt-1 text-title">
      Pages{" "}
      <Word
        label="Looked at"
        text={VIEWS[view]}
        value={view}
        choices={Object.entries(VIEWS).map(([value, text]) => ({ value, text }))}
        choose={(to) =>
          navigate({
            to: to === "worst" ? "/s/$siteId/worst" : "/s/$siteId/pages",
            params: { siteId: String(siteId) },
            search: { ...lensQuery(search), as: to === "wall" ? to : undefined },
          })
        }
      />
      {children}.
    </p>
  );
}

/** A page of the wall, opened: the others small on the left, the whole page, and its numbers. */
import type { Ref } from "react";
import { Sheet } from "../../components/Sheet";
import { cx } from "../../components/ui";
import { useWide } from "../../lib/useSmall";
import { Thumb } from "../pictures/Thumb";
import { Whole } from "../pictures/Whole";
import type { Frame, Row } from "./columns";
import { PageDetail } from "./PageDetail";

interface Props {
  siteId: number;
  rows: Row[];
  row: Row;
  frame: Frame;
  open: (page: number | undefined) => void;
}

/** Within its list only: the window stays where it is. */
const intoView: Ref<HTMLButtonElement> = (element) => {
  const list = element?.parentElement;
  if (list && element) list.scrollTop = element.offsetTop - list.offsetTop - 120;
};

export function Opened({ siteId, rows, row, frame, open }: Props) {
  const wide = useWide();
  const title = <bdi className="num text-lead">{row.path}</bdi>;
  const whole = <Whole key={row.page_id} siteId={siteId} pageId={row.page_id} path={row.path} />;
  if (!wide)
    return (
      <Sheet title={title} close={() => open(undefined)}>
        {whole}
        <div className="mt-4">
          <PageDetail siteId={siteId} row={row} frame={frame} />
        </div>
      </Sheet>
    );
  return (
    <div className="mt-3 flex items-start gap-4">
      <nav
        aria-label="The other pages"
        className="sticky top-4 flex max-h-[calc(100vh-2rem)] w-36 shrink-0 flex-col gap-2 overflow-y-auto"
      >
        {rows.map((r) => (
          <button
            key={r.page_id}
            ref={r === row ? intoView : undefined}
            type="button"
            onClick={() => open(r.page_id)}
            aria-current={r === row ? "true" : undefined}
            className={cx(
              "shrink-0 overflow-hidden rounded-box border bg-surface text-left",
              r === row ? "border-plum" : "border-line hover:border-plum",
            )}
          >
            <Thumb siteId={siteId} pageId={r.page_id} />
            <bdi className="num block truncate px-1.5 py-0.5 text-small">{r.path}</bdi>
          </button>
        ))}
      </nav>
      <div className="min-w-0 flex-1">{whole}</div>
      <Sheet title={title} close={() => open(undefined)}>
        <PageDetail siteId={siteId} row={row} frame={frame} />
      </Sheet>
    </div>
  );
}

/** A page before and after a change, one over the other, with a line between them that can be moved. */
import { useState } from "react";
import { cx } from "../../components/ui";
import { day, dayOf } from "../../lib/format";
import { imageOf, type Picture } from "./queries";

interface Props {
  siteId: number;
  before: Picture;
  after: Picture;
  pixels: number;
}

const on = (iso: string) => day(dayOf(new Date(iso)));

export function BeforeAfter({ siteId, before, after, pixels }: Props) {
  const [at, setAt] = useState(50);
  const high = Math.max(before.height, after.height);
  return (
    <div className={cx(pixels < 500 && "mx-auto max-w-[390px]")}>
      <div className="mb-1 flex justify-between text-small text-quiet">
        <span>← before, until {on(before.seen_at)}</span>
        <span>after, seen on {on(after.taken_at)} →</span>
      </div>
      <input
        type="range"
        min={0}
        max={100}
        value={at}
        onChange={(event) => setAt(Number(event.target.value))}
        aria-label="How much of the page before is shown"
        aria-valuetext={`${at} % before, ${100 - at} % after`}
        className="mb-1 w-full accent-plum"
      />
      <div className="max-h-[calc(100vh-11rem)] overflow-auto rounded-box border border-line bg-paper">
        <div className="relative" style={{ aspectRatio: `${pixels} / ${high}` }}>
          <img src={imageOf(siteId, after)} alt="The page after the change" className="absolute top-0 left-0 w-full" />
          <img
            src={imageOf(siteId, before)}
            alt="The page before the change"
            className="absolute top-0 left-0 w-full"
            style={{ clipPath: `inset(0 ${100 - at}% 0 0)` }}
          />
          <span
            aria-hidden="true"
            className="absolute inset-y-0 w-0.5 bg-plum"
            style={{ left: `calc(${at}% - 1px)` }}
          />
        </div>
      </div>
    </div>
  );
}

import type { Schemas } from "../../api/client";
import { hour, many } from "../../lib/format";

/** Why some visits could not see the variant as it was meant. */
export function Hindrance({ letter, of: h }: { letter: string; of: Schemas["HindranceOut"] }) {
  const visits = `${many(h.times, "visit")}, last ${hour(h.last_at)}`;
  const what = <bdi className="num">{h.selector}</bdi>;
  if (h.why === "late")
    return (
      <>
        In {visits}, the page was shown before the variant was ready, or it was still being set up by its own script. It
        stayed as it was, and these visitors are in no variant.
      </>
    );
  if (h.why === "overwritten")
    return (
      <>
        The page writes over {what} of {letter} again and again ({visits}). These visitors count in {letter}, but saw
        the page’s own text some of the time: change an element that the page leaves alone.
      </>
    );
  return (
    <>
      The page had no element for {what} of {letter}, or one that cannot be moved, in {visits}. These visitors are in no
      variant. If the page has changed, end the test and write it anew.
    </>
  );
}

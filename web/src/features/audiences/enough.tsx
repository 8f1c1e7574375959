/** How a size stands against what is needed to advertise. */
import type { Schemas } from "../../api/client";
import { cx } from "../../components/ui";
import { count } from "../../lib/format";

export const ENOUGH: Record<Schemas["AudienceOut"]["enough"], { says: string; tone: string }> = {
  not_yet: { says: "not yet enough", tone: "text-marigold font-medium" },
  enough: { says: "enough", tone: "text-fern" },
  plenty: { says: "plenty", tone: "text-fern" },
};

/** By how much it has grown or shrunk in a week. */
export function Moved({ of }: { of: { people: number; week_ago: number } }) {
  const by = of.people - of.week_ago;
  return (
    <span className={cx("num", !by && "text-quiet")}>
      {by > 0 ? "+" : by < 0 ? "−" : ""}
      {count(Math.abs(by))}
    </span>
  );
}

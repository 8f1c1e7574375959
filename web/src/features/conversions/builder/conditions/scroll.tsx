/** A page was scrolled so far. */
import { Amount } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ value, set }: ConditionProps<"scroll">) {
  return <Amount label="Percent, at least" value={value.percent} set={(percent) => set({ percent })} />;
}

export const scroll: ConditionKind<"scroll"> = {
  says: "A page was scrolled so far",
  blank: { percent: 75 },
  Fields,
};

/** So many pages were seen. */
import { Amount } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ value, set }: ConditionProps<"seen">) {
  return <Amount label="Pages, at least" value={value.pages} set={(pages) => set({ pages })} />;
}

export const seen: ConditionKind<"seen"> = {
  says: "So many pages were seen",
  blank: { pages: 3 },
  Fields,
};

/** A page was looked at for so long. */
import { Amount } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ value, set }: ConditionProps<"stay">) {
  return <Amount label="Seconds in front, at least" value={value.seconds} set={(seconds) => set({ seconds })} />;
}

export const stay: ConditionKind<"stay"> = {
  says: "A page was looked at for so long",
  blank: { seconds: 60 },
  Fields,
};

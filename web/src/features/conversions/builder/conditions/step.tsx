/** A bridge link is followed. */
import { Picker } from "../Picker";
import { Text } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ siteId, value, set, change }: ConditionProps<"step">) {
  return (
    <>
      <Picker siteId={siteId} kind="step" use={change} />
      <Text label="Bridge link" value={value.link} set={(link) => set({ link })} placeholder="any" />
    </>
  );
}

export const step: ConditionKind<"step"> = {
  says: "A bridge link is followed",
  blank: {},
  Fields,
};

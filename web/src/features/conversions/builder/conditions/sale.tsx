/** A sale is reported for a bridge link. */
import { Picker } from "../Picker";
import { Text } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ siteId, value, set, change }: ConditionProps<"sale">) {
  return (
    <>
      <Picker siteId={siteId} kind="sale" use={change} />
      <Text label="Bridge link" value={value.link} set={(link) => set({ link })} placeholder="any" />
    </>
  );
}

export const sale: ConditionKind<"sale"> = {
  says: "A sale is reported for a bridge link",
  blank: {},
  Fields,
};

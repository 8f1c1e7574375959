/** It happens on a certain page. */
import { Address } from "./Address";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ siteId, value, set, error }: ConditionProps<"on">) {
  return <Address siteId={siteId} value={value} set={set} error={error} />;
}

export const on: ConditionKind<"on"> = {
  says: "… on a certain page",
  blank: { match: "equals", value: "" },
  complete: (value) => value.value.trim() !== "",
  Fields,
};

/** A page is reached. */
import { Address } from "./Address";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ siteId, value, set, error }: ConditionProps<"page">) {
  return <Address siteId={siteId} value={value} set={set} error={error} />;
}

export const page: ConditionKind<"page"> = {
  says: "A page is reached",
  blank: { match: "equals", value: "" },
  complete: (value) => value.value.trim() !== "",
  Fields,
};

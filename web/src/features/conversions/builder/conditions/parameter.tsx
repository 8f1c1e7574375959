/** The address carries a query parameter. */
import { Text } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ value, set }: ConditionProps<"parameter">) {
  return (
    <div className="grid grid-cols-2 gap-2">
      <Text label="Parameter" value={value.name} set={(name) => set({ ...value, name })} placeholder="step" />
      <Text
        label="Its value, or any"
        value={value.value}
        set={(text) => set({ ...value, value: text })}
        placeholder="any"
      />
    </div>
  );
}

export const parameter: ConditionKind<"parameter"> = {
  says: "… with a parameter in the address",
  blank: { name: "" },
  complete: (value) => value.name.trim() !== "",
  Fields,
};

/** A frame says so. */
import { Picker } from "../Picker";
import { Text } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ siteId, value, set, change, error }: ConditionProps<"message">) {
  return (
    <>
      <Picker siteId={siteId} kind="message" use={change} />
      <Text
        label="From the frame of"
        value={value.origin}
        set={(origin) => set({ ...value, origin })}
        placeholder="https://forms.example"
        error={error("origin")}
      />
      <div className="grid grid-cols-2 gap-2">
        <Text label="Where this key" value={value.at} set={(at) => set({ ...value, at })} placeholder="type" />
        <Text
          label="has this value"
          value={value.value}
          set={(text) => set({ ...value, value: text })}
          placeholder="sent"
        />
      </div>
    </>
  );
}

export const message: ConditionKind<"message"> = {
  says: "A frame says so",
  blank: { origin: "", at: "", value: "" },
  complete: (value) => [value.origin, value.at, value.value].every((v) => v.trim() !== ""),
  Fields,
};

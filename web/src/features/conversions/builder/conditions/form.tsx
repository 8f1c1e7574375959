/** A form is sent. */
import { Picker } from "../Picker";
import { Text } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ siteId, value, set, change }: ConditionProps<"form">) {
  return (
    <>
      <Picker siteId={siteId} kind="form" use={change} />
      <div className="grid grid-cols-2 gap-2">
        <Text label="Its id" value={value.id} set={(id) => set({ ...value, id })} placeholder="any" />
        <Text label="Its name" value={value.name} set={(name) => set({ ...value, name })} placeholder="any" />
        <Text
          label="Sent to an address with"
          value={value.action}
          set={(action) => set({ ...value, action })}
          placeholder="any"
        />
        <Text
          label="Has a field named"
          value={value.field}
          set={(field) => set({ ...value, field })}
          placeholder="any"
        />
      </div>
      <p className="text-small text-quiet">
        A form that fails its own checks was not sent. What people enter is never read.
      </p>
    </>
  );
}

export const form: ConditionKind<"form"> = {
  says: "A form is sent",
  blank: {},
  Fields,
};

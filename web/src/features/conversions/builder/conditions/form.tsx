/** A form is sent. */
import { Field, Select } from "../../../../components/ui";
import { Picker } from "../Picker";
import { Text } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

const STAGES = {
  sent: "is sent",
  tried: "is tried: sent, or an attempt without success",
  begun: "is begun: something is entered, or more",
};

function Fields({ siteId, value, set, change }: ConditionProps<"form">) {
  return (
    <>
      <Picker siteId={siteId} kind="form" use={change} />
      <Field label="The form">
        {(p) => (
          <Select
            {...p}
            value={value.stage ?? "sent"}
            onChange={(e) => {
              const { stage: _, ...rest } = value;
              const stage = e.target.value;
              set(stage === "begun" || stage === "tried" ? { ...rest, stage } : rest);
            }}
          >
            {Object.entries(STAGES).map(([stage, says]) => (
              <option key={stage} value={stage}>
                {says}
              </option>
            ))}
          </Select>
        )}
      </Field>
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

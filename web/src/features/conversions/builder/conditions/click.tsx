/** Something is clicked. */
import { Field, Select } from "../../../../components/ui";
import { Picker } from "../Picker";
import { CLICKED } from "../rule";
import { Text } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

type What = NonNullable<ConditionProps<"click">["value"]["what"]>;

function Fields({ siteId, value, set, change }: ConditionProps<"click">) {
  return (
    <>
      <Picker siteId={siteId} kind="click" use={change} />
      <div className="grid grid-cols-2 gap-2">
        <Field label="What">
          {(p) => (
            <Select {...p} value={value.what ?? ""} onChange={(e) => set({ ...value, what: e.target.value as What })}>
              <option value="">anything</option>
              {Object.entries(CLICKED).map(([what, says]) => (
                <option key={what} value={what}>
                  {says}
                </option>
              ))}
            </Select>
          )}
        </Field>
        <Text label="That says" value={value.text} set={(text) => set({ ...value, text })} placeholder="any words" />
        <Text label="That leads to" value={value.to} set={(to) => set({ ...value, to })} placeholder="anywhere" />
        <Text
          label="Fits the selector"
          value={value.selector}
          set={(selector) => set({ ...value, selector })}
          placeholder="any"
        />
      </div>
    </>
  );
}

export const click: ConditionKind<"click"> = {
  says: "Something is clicked",
  blank: {},
  Fields,
};

/** A thank-you appears. */
import { Text } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ value, set, error }: ConditionProps<"shown">) {
  return (
    <>
      <div className="grid grid-cols-2 gap-2">
        <Text
          label="Selector"
          value={value.selector}
          set={(selector) => set({ ...value, selector })}
          placeholder="#thanks"
          error={error("selector")}
        />
        <Text label="or its words" value={value.text} set={(text) => set({ ...value, text })} placeholder="Thank you" />
      </div>
      <p className="text-small text-quiet">
        What was on the page from the beginning has not appeared. Name the page below it, so that only that page is
        watched.
      </p>
    </>
  );
}

export const shown: ConditionKind<"shown"> = {
  says: "A thank-you appears",
  blank: {},
  complete: (value) => Boolean(value.selector?.trim() || value.text?.trim()),
  Fields,
};

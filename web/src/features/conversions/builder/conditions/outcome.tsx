/** What became of a lead or order was told afterwards. */
import { useQuery } from "@tanstack/react-query";
import { Field, Select } from "../../../../components/ui";
import { outcomesQuery } from "../../../outcomes/queries";
import type { ConditionKind, ConditionProps } from "./kind";

function Fields({ siteId, value, set }: ConditionProps<"outcome">) {
  const stages = useQuery(outcomesQuery(siteId)).data?.stages ?? [];
  const known = stages.some((s) => s.key === value.stage);
  return (
    <Field label="Stage">
      {(p) => (
        <Select {...p} value={value.stage ?? ""} onChange={(e) => set({ stage: e.target.value || undefined })}>
          <option value="">any</option>
          {value.stage && !known && <option value={value.stage}>{value.stage}</option>}
          {stages
            .filter((s) => s.effect === "reached")
            .map((s) => (
              <option key={s.key} value={s.key}>
                {s.name}
              </option>
            ))}
        </Select>
      )}
    </Field>
  );
}

export const outcome: ConditionKind<"outcome"> = {
  says: "A lead or order reaches a stage later",
  blank: {},
  Fields,
};

/** The site’s code says so. */
import { Button, Input, Select, TextButton } from "../../../../components/ui";
import { Picker } from "../Picker";
import { Text } from "./fields";
import type { ConditionKind, ConditionProps } from "./kind";

type PropertyTest = NonNullable<ConditionProps<"event">["value"]["where"]>[number];
type Comparison = PropertyTest["comparison"];

const COMPARISONS: Record<Comparison, string> = {
  is: "is",
  is_not: "is not",
  contains: "contains",
  at_least: "is at least",
  at_most: "is at most",
  above: "is above",
  below: "is below",
};

function Fields({ siteId, value, set, change, error }: ConditionProps<"event">) {
  const where = value.where ?? [];
  const put = (tests: PropertyTest[]) => set({ ...value, where: tests });
  return (
    <>
      <Picker siteId={siteId} kind="event" use={change} />
      <Text
        label="Event"
        value={value.name}
        set={(name) => set({ ...value, name })}
        placeholder="order"
        error={error("name")}
      />
      {where.map((test, place) => (
        <Comparing
          // biome-ignore lint/suspicious/noArrayIndexKey: they have no identity but their place.
          key={place}
          test={test}
          set={(one) => put(where.map((t, i) => (i === place ? one : t)))}
          remove={() => put(where.filter((_, i) => i !== place))}
        />
      ))}
      <TextButton
        className="self-start"
        onClick={() => put([...where, { property: "value", comparison: "at_least", value: 0 }])}
      >
        Compare a property
      </TextButton>
    </>
  );
}

const NUMERIC: Comparison[] = ["at_least", "at_most", "above", "below"];

/** What was typed, as the number, truth value or text it looks like. */
function read(text: string, comparison: Comparison): PropertyTest["value"] {
  if (comparison !== "contains" && text.trim() !== "" && Number.isFinite(Number(text))) return Number(text);
  if (NUMERIC.includes(comparison)) return 0;
  return text === "true" ? true : text === "false" ? false : text;
}

function Comparing({
  test,
  set,
  remove,
}: {
  test: PropertyTest;
  set: (test: PropertyTest) => void;
  remove: () => void;
}) {
  return (
    <div className="flex items-center gap-1.5">
      <Input
        aria-label="Property"
        className="num"
        placeholder="value"
        value={test.property}
        onChange={(e) => set({ ...test, property: e.target.value })}
      />
      <Select
        aria-label="How it is compared"
        value={test.comparison}
        onChange={(e) => {
          const comparison = e.target.value as Comparison;
          set({ ...test, comparison, value: read(String(test.value), comparison) });
        }}
      >
        {Object.entries(COMPARISONS).map(([comparison, says]) => (
          <option key={comparison} value={comparison}>
            {says}
          </option>
        ))}
      </Select>
      <Input
        aria-label="Value"
        className="num"
        type={NUMERIC.includes(test.comparison) ? "number" : "text"}
        step="any"
        value={String(test.value)}
        onChange={(e) => set({ ...test, value: read(e.target.value, test.comparison) })}
      />
      <Button kind="quiet" aria-label="Remove this comparison" onClick={remove}>
        ×
      </Button>
    </div>
  );
}

export const event: ConditionKind<"event"> = {
  says: "The site’s code says so",
  blank: { name: "" },
  complete: (value) => value.name.trim() !== "" && (value.where ?? []).every((t) => t.property !== ""),
  Fields,
};

/** A rule as nested groups of conditions: all or any of them, each as it is or negated. */
import { Plus, X } from "lucide-react";
import { Checkbox } from "../../../components/Checkbox";
import { Radios } from "../../../components/Radios";
import { cx, Select, TextButton } from "../../../components/ui";
import { Condition } from "./Condition";
import { blank, CONDITIONS } from "./conditions";
import {
  asGroup,
  type ConditionKey,
  type Group,
  grouped,
  isGroup,
  isNot,
  keyOf,
  type Leaf,
  partsOf,
  type Rule,
} from "./rule";

interface Props {
  siteId: number;
  rule: Group;
  change: (rule: Group) => void;
  error: (field: string) => string | undefined;
  /** How deep this group lies. */
  deep?: number;
}

export function Builder({ siteId, rule, change, error, deep = 0 }: Props) {
  const joint = "all" in rule ? "all" : "any";
  const parts = partsOf(rule);
  const set = (place: number, part: Rule) =>
    change(
      grouped(
        joint,
        parts.map((p, i) => (i === place ? part : p)),
      ),
    );
  const remove = (place: number) =>
    change(
      grouped(
        joint,
        parts.filter((_, i) => i !== place),
      ),
    );
  const add = (part: Rule) => change(grouped(joint, [...parts, part]));
  return (
    <div className={cx("flex min-w-0 flex-col gap-2", deep > 0 && "border-l-2 border-ink pl-3")}>
      {parts.length > 1 && (
        <Radios
          label="How the conditions are joined"
          className="flex flex-wrap gap-4"
          choices={{ all: "all of these together", any: "any one of these" }}
          chosen={joint}
          choose={(each) => change(grouped(each, parts))}
        />
      )}
      {parts.map((part, place) => (
        <Part
          // biome-ignore lint/suspicious/noArrayIndexKey: conditions have no identity but their place.
          key={place}
          siteId={siteId}
          part={part}
          set={(changed) => set(place, changed)}
          remove={parts.length > 1 || deep > 0 ? () => remove(place) : undefined}
          error={error}
          deep={deep}
          first={deep === 0 && place === 0}
        />
      ))}
      <div className="flex flex-wrap gap-x-4 gap-y-1">
        <TextButton className="inline-flex items-center gap-1" onClick={() => add(blank(parts.length ? "on" : "page"))}>
          <Plus className="size-4" aria-hidden /> Add a condition
        </TextButton>
        {deep < 3 && parts.length > 0 && (
          <TextButton onClick={() => add({ any: [blank("page"), blank("form")] })}>Add alternatives</TextButton>
        )}
      </div>
    </div>
  );
}

interface PartProps extends Omit<Props, "rule" | "change"> {
  part: Rule;
  set: (part: Rule) => void;
  remove?: () => void;
  first: boolean;
}

function Part({ siteId, part, set, remove, error, deep = 0, first }: PartProps) {
  const negated = isNot(part);
  const inner = isNot(part) ? part.not : part;
  const put = (rule: Rule) => set(negated ? { not: rule } : rule);
  return (
    <div className="flex min-w-0 flex-col gap-2 rounded-box border bg-surface p-3">
      <div className="flex items-center gap-2">
        {isGroup(inner) || isNot(inner) ? (
          <span className="flex-1 font-medium">Alternatives</span>
        ) : (
          <Select
            aria-label={first ? "What counts" : "Condition"}
            className="font-medium"
            value={keyOf(inner)}
            onChange={(e) => put(blank(e.target.value as ConditionKey))}
          >
            {Object.entries(CONDITIONS).map(([key, { says }]) => (
              <option key={key} value={key}>
                {says}
              </option>
            ))}
          </Select>
        )}
        {remove && (
          <span className="whitespace-nowrap">
            <Checkbox label="must not" checked={negated} set={(on) => set(on ? { not: inner } : inner)} />
          </span>
        )}
        {remove && (
          <button
            type="button"
            aria-label="Remove this condition"
            className="p-1 text-quiet hover:text-brick"
            onClick={remove}
          >
            <X className="size-4" aria-hidden />
          </button>
        )}
      </div>
      {isGroup(inner) || isNot(inner) ? (
        <Builder siteId={siteId} rule={asGroup(inner)} change={put} error={error} deep={deep + 1} />
      ) : (
        <Condition siteId={siteId} leaf={inner as Leaf} change={put} error={error} />
      )}
    </div>
  );
}

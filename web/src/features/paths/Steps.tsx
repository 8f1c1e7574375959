/** The steps of a path, written: each a page, an event or a conversion. */
import { useQuery } from "@tanstack/react-query";
import { Button, Field, Select, TextButton } from "../../components/ui";
import { words } from "../../lib/format";
import { Builder } from "../conversions/builder/Builder";
import { Condition } from "../conversions/builder/Condition";
import { blank, CONDITIONS } from "../conversions/builder/conditions";
import { asGroup, type ConditionKey, isGroup, isNot, keyOf, type Leaf, type Rule } from "../conversions/builder/rule";
import { conversionsQuery } from "../conversions/queries";
import type { Step } from "./model";

interface Props {
  siteId: number;
  steps: Step[];
  change: (steps: Step[]) => void;
  error: (place: number, field: string) => string | undefined;
}

export const blankStep = (): Step => ({ page: { match: "equals", value: "" } });

export function Steps({ siteId, steps, change, error }: Props) {
  const conversions = useQuery(conversionsQuery(siteId));
  const set = (place: number, step: Step) => change(steps.map((s, i) => (i === place ? step : s)));
  const swap = (place: number) =>
    change(steps.map((s, i) => (i === place - 1 ? (steps[place] ?? s) : i === place ? (steps[place - 1] ?? s) : s)));
  return (
    <div className="flex flex-col gap-4">
      <ol className="flex flex-col gap-4">
        {steps.map((step, place) => {
          const nested = !("conversion" in step) && (isGroup(step as Rule) || isNot(step as Rule));
          const key = "conversion" in step ? "conversion" : nested ? "nested" : keyOf(step as Leaf);
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a step has no identity but its place.
            <li key={place} className="grid gap-3 border-b pb-4 sm:grid-cols-[28px_minmax(0,1fr)_auto]">
              <span className="num pt-8 text-quiet">{place + 1}</span>
              <div className="flex flex-col gap-3">
                <Field label={`Step ${place + 1}`} error={error(place, "")}>
                  {(p) => (
                    <Select
                      {...p}
                      value={key}
                      onChange={(e) =>
                        set(
                          place,
                          e.target.value === "conversion"
                            ? { conversion: conversions.data?.[0]?.id ?? 0 }
                            : (blank(e.target.value as ConditionKey) as Step),
                        )
                      }
                    >
                      {nested && <option value="nested">Several, joined</option>}
                      {Object.entries(CONDITIONS).map(([name, { says }]) => (
                        <option key={name} value={name}>
                          {says}
                        </option>
                      ))}
                      <option value="conversion">A conversion is made</option>
                    </Select>
                  )}
                </Field>
                {"conversion" in step ? (
                  <Field label="Conversion">
                    {(p) => (
                      <Select
                        {...p}
                        value={step.conversion}
                        onChange={(e) => set(place, { conversion: Number(e.target.value) })}
                      >
                        {conversions.data?.map((c) => (
                          <option key={c.id} value={c.id}>
                            {words(c.name)}
                          </option>
                        ))}
                      </Select>
                    )}
                  </Field>
                ) : nested ? (
                  <Builder
                    siteId={siteId}
                    rule={asGroup(step as Rule)}
                    change={(rule) => set(place, rule as Step)}
                    error={(field) => error(place, field)}
                  />
                ) : (
                  <Condition
                    siteId={siteId}
                    leaf={step as Leaf}
                    change={(leaf) => set(place, leaf as Step)}
                    error={(field) => error(place, field)}
                  />
                )}
              </div>
              <div className="flex gap-3 sm:flex-col sm:pt-7">
                {place > 0 && (
                  <TextButton onClick={() => swap(place)}>
                    Earlier<span className="sr-only">: step {place + 1}</span>
                  </TextButton>
                )}
                {steps.length > 2 && (
                  <TextButton onClick={() => change(steps.filter((_, i) => i !== place))}>
                    Remove<span className="sr-only"> step {place + 1}</span>
                  </TextButton>
                )}
              </div>
            </li>
          );
        })}
      </ol>
      {steps.length < 8 && (
        <div>
          <Button onClick={() => change([...steps.slice(0, -1), blankStep(), ...steps.slice(-1)])}>
            + a step before the last
          </Button>
        </div>
      )}
    </div>
  );
}

/** What a test is read by besides what decides it, as it is written. */
import type { Schemas } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Button, Field, Input, Select, TextButton } from "../../components/ui";
import { several } from "../../lib/format";

export type Measure = Required<Schemas["MeasureIn"]>;
const MOST = 6;
/** The rules for a share that is typed: whole per cents, as a part. */
const asPart = (text: string) => Math.min(100, Math.max(0, Number(text) || 0)) / 100;

interface Props {
  measures: Measure[];
  set: (measures: Measure[]) => void;
  rules: Schemas["ConversionOut"][];
  error: (name: string) => string | undefined;
}

export function MeasuresIn({ measures, set, rules, error }: Props) {
  const change = (place: number, part: Partial<Measure>) =>
    set(measures.map((m, i) => (i === place ? { ...m, ...part } : m)));
  const choices = [
    { value: "bounce", text: "bounces", lower: true },
    ...rules.flatMap((r) => [
      { value: `rate:${r.id}`, text: `visitors with ${several(r.name)}`, lower: false },
      ...(r.value != null || r.value_property
        ? [{ value: `value:${r.id}`, text: `value of ${several(r.name)}`, lower: false }]
        : []),
    ]),
  ];
  return (
    <fieldset className="flex flex-col gap-3 rounded-box border bg-surface p-3">
      <legend className="px-1 font-medium">Guards and further measures</legend>
      {measures.map((m, place) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a measure is what stands at its place
        <div key={place} className="flex flex-col gap-2 border-l-2 pl-3">
          <Field
            label={`Measure ${place + 1}`}
            error={["", ".what", ".conversion", ".margin"].map((f) => error(`measures[${place}]${f}`)).find(Boolean)}
          >
            {(p) => (
              <Select
                {...p}
                value={m.what === "bounce" ? "bounce" : `${m.what}:${m.conversion}`}
                onChange={(e) => {
                  const [what, id] = e.target.value.split(":");
                  change(place, {
                    what: what as Measure["what"],
                    conversion: id ? Number(id) : null,
                    lower_is_better: what === "bounce",
                  });
                }}
              >
                {choices.map((c) => (
                  <option key={c.value} value={c.value}>
                    {c.text}
                  </option>
                ))}
              </Select>
            )}
          </Field>
          <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
            <Checkbox label="must not get worse" checked={m.guard} set={(guard) => change(place, { guard })} />
            {m.guard && (
              <span className="flex items-center gap-2">
                by more than
                <Input
                  type="number"
                  aria-label="By how many per cent of the control’s it may be worse"
                  min={0}
                  max={100}
                  className="num w-16!"
                  value={Math.round(m.margin * 100)}
                  onChange={(e) => change(place, { margin: asPart(e.target.value) })}
                />
                % of A’s
              </span>
            )}
            {m.what !== "bounce" && (
              <Checkbox
                label="less of it is better"
                checked={m.lower_is_better}
                set={(lower_is_better) => change(place, { lower_is_better })}
              />
            )}
            <TextButton onClick={() => set(measures.filter((_, i) => i !== place))}>
              leave out<span className="sr-only"> measure {place + 1}</span>
            </TextButton>
          </div>
        </div>
      ))}
      {measures.length < MOST && (
        <Button
          kind="quiet"
          className="self-start"
          onClick={() =>
            set([...measures, { what: "bounce", conversion: null, guard: true, margin: 0.1, lower_is_better: true }])
          }
        >
          {measures.length ? "One more" : "Add a guard or a measure"}
        </Button>
      )}
    </fieldset>
  );
}

/** One condition of a rule: what it asks for, and a pick from what has been seen on the site. */
import { KnownPages } from "../../../components/KnownPages";
import { Button, Field, Input, Select } from "../../../components/ui";
import { Picker } from "./Picker";
import { CLICKED, type Comparison, type Conditions, type Leaf, type Match, type PropertyTest } from "./rule";

const MATCHES: Record<Match, string> = {
  equals: "is exactly",
  begins: "begins with",
  contains: "contains",
  pattern: "fits the pattern",
};
const HINTS: Record<Match, string> = {
  equals: "Also met with campaign parameters behind it: they never make another page.",
  begins: "Everything below it counts as well.",
  contains: "Look at the right: an article may have the same words in its address.",
  pattern: "A regular expression, held against host and path, for example /thank-you/\\w+$",
};
const COMPARISONS: Record<Comparison, string> = {
  is: "is",
  is_not: "is not",
  contains: "contains",
  at_least: "is at least",
  at_most: "is at most",
  above: "is above",
  below: "is below",
};

interface Props {
  siteId: number;
  leaf: Leaf;
  change: (leaf: Leaf) => void;
  error: (field: string) => string | undefined;
}

export function Condition({ siteId, leaf, change, error }: Props) {
  const pick = <Picker siteId={siteId} leaf={leaf} use={change} />;
  if ("page" in leaf)
    return <Address siteId={siteId} value={leaf.page} set={(page) => change({ page })} error={error} />;
  if ("on" in leaf) return <Address siteId={siteId} value={leaf.on} set={(on) => change({ on })} error={error} />;
  if ("parameter" in leaf) {
    const set = (part: Partial<Conditions["parameter"]>) => change({ parameter: { ...leaf.parameter, ...part } });
    return (
      <div className="grid grid-cols-2 gap-2">
        <Text label="Parameter" value={leaf.parameter.name} set={(name) => set({ name })} placeholder="step" />
        <Text
          label="Its value, or any"
          value={leaf.parameter.value}
          set={(value) => set({ value })}
          placeholder="any"
        />
      </div>
    );
  }
  if ("form" in leaf) {
    const set = (part: Conditions["form"]) => change({ form: { ...leaf.form, ...part } });
    return (
      <>
        {pick}
        <div className="grid grid-cols-2 gap-2">
          <Text label="Its id" value={leaf.form.id} set={(id) => set({ id })} placeholder="any" />
          <Text label="Its name" value={leaf.form.name} set={(name) => set({ name })} placeholder="any" />
          <Text
            label="Sent to an address with"
            value={leaf.form.action}
            set={(action) => set({ action })}
            placeholder="any"
          />
          <Text label="Has a field named" value={leaf.form.field} set={(field) => set({ field })} placeholder="any" />
        </div>
        <p className="text-[13px] text-quiet">
          A form that fails its own checks was not sent. What people enter is never read.
        </p>
      </>
    );
  }
  if ("message" in leaf) {
    const set = (part: Partial<Conditions["message"]>) => change({ message: { ...leaf.message, ...part } });
    return (
      <>
        {pick}
        <Text
          label="From the frame of"
          value={leaf.message.origin}
          set={(origin) => set({ origin })}
          placeholder="https://forms.example"
          error={error("origin")}
        />
        <div className="grid grid-cols-2 gap-2">
          <Text label="Where this key" value={leaf.message.at} set={(at) => set({ at })} placeholder="type" />
          <Text label="has this value" value={leaf.message.value} set={(value) => set({ value })} placeholder="sent" />
        </div>
      </>
    );
  }
  if ("shown" in leaf) {
    const set = (part: Conditions["shown"]) => change({ shown: { ...leaf.shown, ...part } });
    return (
      <>
        <div className="grid grid-cols-2 gap-2">
          <Text
            label="Selector"
            value={leaf.shown.selector}
            set={(selector) => set({ selector })}
            placeholder="#thanks"
            error={error("selector")}
          />
          <Text label="or its words" value={leaf.shown.text} set={(text) => set({ text })} placeholder="Thank you" />
        </div>
        <p className="text-[13px] text-quiet">
          What was on the page from the beginning has not appeared. Name the page below it, so that only that page is
          watched.
        </p>
      </>
    );
  }
  if ("click" in leaf) {
    const set = (part: Conditions["click"]) => change({ click: { ...leaf.click, ...part } });
    return (
      <>
        {pick}
        <div className="grid grid-cols-2 gap-2">
          <Field label="What">
            {(p) => (
              <Select {...p} value={leaf.click.what ?? ""} onChange={(e) => set({ what: e.target.value })}>
                <option value="">anything</option>
                {Object.entries(CLICKED).map(([what, says]) => (
                  <option key={what} value={what}>
                    {says}
                  </option>
                ))}
              </Select>
            )}
          </Field>
          <Text label="That says" value={leaf.click.text} set={(text) => set({ text })} placeholder="any words" />
          <Text label="That leads to" value={leaf.click.to} set={(to) => set({ to })} placeholder="anywhere" />
          <Text
            label="Fits the selector"
            value={leaf.click.selector}
            set={(selector) => set({ selector })}
            placeholder="any"
          />
        </div>
      </>
    );
  }
  if ("event" in leaf) {
    const where = leaf.event.where ?? [];
    const set = (part: Partial<Conditions["event"]>) => change({ event: { ...leaf.event, ...part } });
    return (
      <>
        {pick}
        <Text
          label="Event"
          value={leaf.event.name}
          set={(name) => set({ name })}
          placeholder="order"
          error={error("name")}
        />
        {where.map((test, place) => (
          <Comparing
            // biome-ignore lint/suspicious/noArrayIndexKey: they have no identity but their place.
            key={place}
            test={test}
            set={(one) => set({ where: where.map((t, i) => (i === place ? one : t)) })}
            remove={() => set({ where: where.filter((_, i) => i !== place) })}
          />
        ))}
        <button
          type="button"
          className="self-start text-plum underline"
          onClick={() => set({ where: [...where, { property: "value", comparison: "at_least", value: 0 }] })}
        >
          Compare a property
        </button>
      </>
    );
  }
  if ("seen" in leaf)
    return <Amount label="Pages, at least" value={leaf.seen.pages} set={(pages) => change({ seen: { pages } })} />;
  if ("stay" in leaf)
    return (
      <Amount
        label="Seconds in front, at least"
        value={leaf.stay.seconds}
        set={(seconds) => change({ stay: { seconds } })}
      />
    );
  if ("scroll" in leaf)
    return (
      <Amount
        label="Percent, at least"
        value={leaf.scroll.percent}
        set={(percent) => change({ scroll: { percent } })}
      />
    );
  const [key] = Object.keys(leaf) as ["step" | "sale"];
  const link = "step" in leaf ? leaf.step.link : leaf.sale.link;
  return (
    <>
      {pick}
      <Text
        label="Bridge link"
        value={link}
        set={(value) => change({ [key]: { link: value } } as Leaf)}
        placeholder="any"
      />
    </>
  );
}

interface AddressProps {
  siteId: number;
  value: Conditions["page"];
  set: (value: Conditions["page"]) => void;
  error: (field: string) => string | undefined;
}

function Address({ siteId, value, set, error }: AddressProps) {
  return (
    <>
      <Select
        aria-label="How the address is compared"
        value={value.match}
        onChange={(e) => set({ ...value, match: e.target.value as Match })}
      >
        {Object.entries(MATCHES).map(([match, text]) => (
          <option key={match} value={match}>
            {text}
          </option>
        ))}
      </Select>
      <Field label="Address" hint={HINTS[value.match]} error={error("value") ?? error("match")}>
        {(p) => (
          <Input
            {...p}
            className="num"
            list="known-pages"
            placeholder="/thank-you"
            value={value.value}
            onChange={(e) => set({ ...value, value: e.target.value })}
            required
          />
        )}
      </Field>
      <KnownPages siteId={siteId} />
    </>
  );
}

interface TextProps {
  label: string;
  value?: string;
  set: (value: string) => void;
  placeholder?: string;
  error?: string;
}

function Text({ label, value, set, placeholder, error }: TextProps) {
  return (
    <Field label={label} error={error}>
      {(p) => (
        <Input
          {...p}
          className="num"
          value={value ?? ""}
          placeholder={placeholder}
          onChange={(e) => set(e.target.value)}
        />
      )}
    </Field>
  );
}

function Amount({ label, value, set }: { label: string; value: number; set: (value: number) => void }) {
  return (
    <Field label={label}>
      {(p) => (
        <Input
          {...p}
          type="number"
          min="1"
          className="num w-28!"
          value={value}
          onChange={(e) => set(Number(e.target.value))}
        />
      )}
    </Field>
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

/** How a page's address is held against a text. */
import { KnownPages } from "../../../../components/KnownPages";
import { Field, Input, Select } from "../../../../components/ui";
import type { Asked } from "../rule";

type Value = Asked<"page">;
type Match = Value["match"];
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
interface AddressProps {
  siteId: number;
  value: Value;
  set: (value: Value) => void;
  error: (field: string) => string | undefined;
}

export function Address({ siteId, value, set, error }: AddressProps) {
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

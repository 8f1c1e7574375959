/** What a conversion is worth: nothing, a fixed value, or what the event says. */
import { useState } from "react";
import { Field, Input, Select } from "../../components/ui";
import type { Draft } from "./model";

interface Props {
  draft: Draft;
  change: (part: Partial<Draft>) => void;
  currency: string;
  error: (field: string) => string | undefined;
}

type Way = "none" | "fixed" | "event";

export const LIMITS = ["visitor_day_limit", "network_day_limit", "site_day_limit"] as const;
const OF = { visitor_day_limit: "One visitor", network_day_limit: "One network", site_day_limit: "All together" };

export function Worth({ draft, change, currency, error }: Props) {
  const [way, setWay] = useState<Way>(draft.value_property ? "event" : draft.value == null ? "none" : "fixed");
  return (
    <>
      <div className="grid grid-cols-2 gap-3">
        <Field label="Worth">
          {(p) => (
            <Select
              {...p}
              value={way}
              onChange={(e) => {
                const chosen = e.target.value as Way;
                setWay(chosen);
                change({
                  value: chosen === "fixed" ? draft.value : null,
                  value_property: chosen === "event" ? "value" : "",
                  lifetime_factor: chosen === "none" ? null : draft.lifetime_factor,
                });
              }}
            >
              <option value="none">no value</option>
              <option value="fixed">the same each time</option>
              <option value="event">what the event says</option>
            </Select>
          )}
        </Field>
        {way === "fixed" && (
          <Field label={`Worth each, in ${currency}`} error={error("value")}>
            {(p) => (
              <Input
                {...p}
                type="number"
                min="0"
                step="0.01"
                className="num"
                value={draft.value ?? ""}
                onChange={(e) => change({ value: e.target.value === "" ? null : e.target.value })}
              />
            )}
          </Field>
        )}
        {way === "event" && (
          <Field label="In its property" error={error("value_property")}>
            {(p) => (
              <Input
                {...p}
                className="num"
                value={draft.value_property}
                onChange={(e) => change({ value_property: e.target.value })}
                required
              />
            )}
          </Field>
        )}
      </div>
      {way === "event" && (
        <p className="text-small text-quiet">
          A property “currency” names another currency than {currency}; such values are kept and left out of sums. A
          property “order” is the order number, which never counts twice.
        </p>
      )}
      {way !== "none" && (
        <Field
          label="Lifetime factor"
          hint="What a customer is worth over the years, as a multiple. Shown beside the plain value, never instead of it."
          error={error("lifetime_factor")}
        >
          {(p) => (
            <Input
              {...p}
              type="number"
              min="0.01"
              step="0.01"
              className="num w-28!"
              placeholder="none"
              value={draft.lifetime_factor ?? ""}
              onChange={(e) => change({ lifetime_factor: e.target.value === "" ? null : e.target.value })}
            />
          )}
        </Field>
      )}
      {way !== "none" && (
        <details open={LIMITS.some((limit) => error(limit))}>
          <summary className="cursor-pointer text-quiet">What a day may bring without a proof</summary>
          <div className="mt-2 grid grid-cols-3 gap-3">
            {LIMITS.map((limit) => (
              <Field key={limit} label={OF[limit]} error={error(limit)}>
                {(p) => (
                  <Input
                    {...p}
                    type="number"
                    min="1"
                    step="0.01"
                    className="num"
                    placeholder="no limit"
                    value={draft[limit] ?? ""}
                    onChange={(e) => change({ [limit]: e.target.value === "" ? null : e.target.value })}
                  />
                )}
              </Field>
            ))}
          </div>
          <p className="mt-1 text-small text-quiet">
            In {currency}. Anyone can send an order to your site. What goes beyond is counted and shown, and its value
            stands in no sum; orders that your server has signed always count.
          </p>
        </details>
      )}
    </>
  );
}

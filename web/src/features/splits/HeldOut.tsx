/** Visitors in a test who were shown no variant, against all who were shown any. */
import type { Schemas } from "../../api/client";
import { RangeMark } from "../../charts/RangeMark";
import { count, many, money, percent, plural, signed } from "../../lib/format";

type Result = Schemas["ResultOut"];

export function HeldOut({ r, held }: { r: Result; held: NonNullable<Result["held"]> }) {
  const { low, high } = held.range;
  const known = low != null && high != null;
  const noun = plural(r.category);
  const value = held.value_range;
  return (
    <section aria-label="Held out" className="mt-5">
      <h2 className="font-semibold">Held out</h2>
      <div className="mt-1 flex max-w-5xl flex-wrap items-center gap-x-6 gap-y-2">
        <p className="max-w-3xl">
          {many(held.visitors, "visitor was", "visitors were")} in the test and shown no variant.{" "}
          {count(held.converted)} of them converted
          {held.visitors > 0 && (
            <>
              , <span className="num">{percent(held.rate.estimate)}</span> (
              <span className="num">
                {percent(held.rate.low)} to {percent(held.rate.high)}
              </span>
              )
            </>
          )}
          ; of the {count(held.shown_visitors)} who were shown any, {count(held.shown_converted)} did.{" "}
          {known ? (
            <>
              Against those held out the test as a whole, its control included, brought{" "}
              <span className="num">
                {signed(low * 100)} to {signed(high * 100)}
              </span>{" "}
              {noun} per 100 visitors, 95 % at every look
              {held.value_per_visitor != null && value.low != null && value.high != null && (
                <>
                  ; in money{" "}
                  <span className="num">
                    {money(value.low, r.currency)} to {money(value.high, r.currency)}
                  </span>{" "}
                  a visitor
                </>
              )}
              .
            </>
          ) : (
            <>Too few have converted to say what the test brought or cost.</>
          )}
        </p>
        {known && <RangeMark low={low} high={high} />}
      </div>
    </section>
  );
}

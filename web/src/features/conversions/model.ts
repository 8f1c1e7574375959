/** What conversions are called on the screen. */
import type { Schemas } from "../../api/client";

export type Conversion = Schemas["ConversionOut"];

export const CATEGORIES: Record<Conversion["category"], string> = {
  lead: "lead",
  signup: "sign-up",
  purchase: "purchase",
  booking: "booking",
  other: "other",
};
export const COUNTINGS: Record<Conversion["counting"], string> = {
  every: "every time",
  visit: "once a visit",
  visitor: "once a visitor",
};

/** A conversion while it is written; its rule apart. */
export type Draft = Omit<Schemas["ConversionIn"], "rule">;

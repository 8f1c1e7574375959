import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";

/** One thing to say: what is so, why it is believed, and where to go. */
export interface Note {
  key: string;
  says: ReactNode;
  why?: ReactNode;
  tone: "brick" | "marigold" | "fern" | "ink";
  to: "pixel" | "conversions" | "live" | "spend" | "pages" | "tests/$testId" | "audiences/$audienceId" | "sources";
  test?: number;
  search?: { open: number } | { check: string } | { part: "channels" | "budgets" };
  go: string;
  /** What can be done from here: a host added, or something excluded from reports. */
  act?: { host: string } | { aside: Schemas["ExclusionIn"] };
  /** The proposal's key, where it can be answered; and the money that it is about in 28 days. */
  about?: string;
  stake?: string | null;
}

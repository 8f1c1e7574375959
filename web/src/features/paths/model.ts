/** Paths as the screen writes them, and what of them stands in the address. */
import type { Schemas } from "../../api/client";
import { type Lens, readLens } from "../../lib/lens";
import { complete as ruleComplete } from "../conversions/builder/conditions";
import type { Rule } from "../conversions/builder/rule";

export type Step = Schemas["PathStep"];
export type Asked = Schemas["PathAsked"];
export type Report = Schemas["PathReportOut"];

export interface PathsSearch extends Lens {
  /** A kept path; or steps as JSON. */
  path?: number;
  steps?: string;
  /** Seconds, for one person; else within a visit. */
  within?: number;
  /** "before", "device:phone", "source:…", "channel:…", "audience:7", or "path:3" for another path. */
  against?: string;
  /** "device", "channel", "source", "page", or "test:2" for its variants. */
  by?: string;
}

const whole = (value: unknown) => (Number.isInteger(Number(value)) && Number(value) > 0 ? Number(value) : undefined);

export const readPathsSearch = (s: Record<string, unknown>): PathsSearch => ({
  ...readLens(s),
  path: whole(s.path),
  steps: typeof s.steps === "string" ? s.steps : s.steps ? JSON.stringify(s.steps) : undefined,
  within: whole(s.within),
  against: typeof s.against === "string" ? s.against : undefined,
  by: typeof s.by === "string" && /^(device|channel|source|page|test:\d+)$/.test(s.by) ? s.by : undefined,
});

export function stepsOf(text: string | undefined): Step[] | undefined {
  if (!text) return undefined;
  try {
    const read = JSON.parse(text);
    return Array.isArray(read) ? read : undefined;
  } catch {
    return undefined;
  }
}

const isConversion = (step: Step): step is { conversion: number } => "conversion" in step;
export const complete = (steps: Step[]) =>
  steps.length > 1 && steps.every((s) => (isConversion(s) ? s.conversion > 0 : ruleComplete(s as Rule)));

const DAY = 864e5;
/** How many days are looked at. */
export const spanOf = (read: { first: string; last: string }) =>
  Math.round((Date.parse(read.last) - Date.parse(read.first)) / DAY) + 1;

/** The lens that a path is held against, as the words for the server. */
export function againstWords(search: PathsSearch, read: { first: string; last: string }): Asked["against"] {
  const { against, period, origin, device, audience } = search;
  if (!against) return null;
  const same = { period, origin, device, audience };
  if (against === "before") {
    const days = spanOf(read);
    const shift = (iso: string) => new Date(Date.parse(iso) - days * DAY).toISOString().slice(0, 10);
    return { ...same, period: `${shift(read.first)}..${shift(read.last)}` };
  }
  const [kind, name = ""] = against.split(/:(.*)/s);
  if (kind === "device") return { ...same, device: name };
  if (kind === "audience") return { ...same, audience: Number(name) };
  if (kind === "path") return { ...same, path: Number(name) };
  return { ...same, origin: against };
}

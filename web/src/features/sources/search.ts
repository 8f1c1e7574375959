/** What of the sources report stands in the address. */
import { type Lens, readLens } from "../../lib/lens";

export interface SourcesSearch extends Lens {
  /** The saved view that it came from. */
  view?: number;
  /** What visits are told apart by; nothing: step by step. */
  by?: string;
  /** Only visits of these: "<dimension>:<value>" each. */
  at?: string[];
  sort?: string;
  columns?: string;
  /** How wide those that were sized are. */
  widths?: string;
}

export const readSourcesSearch = (s: Record<string, unknown>): SourcesSearch => {
  const text = (value: unknown) => (typeof value === "string" && value ? value : undefined);
  const at = Array.isArray(s.at) ? s.at.filter((a) => typeof a === "string") : text(s.at) ? [String(s.at)] : [];
  return {
    ...readLens(s),
    view: Number(s.view) > 0 ? Number(s.view) : undefined,
    by: text(s.by),
    at: at.length ? at : undefined,
    sort: text(s.sort),
    columns: text(s.columns),
    widths: text(s.widths),
  };
};

export const DIMENSIONS: Record<string, string> = {
  channel: "channel",
  source: "source",
  medium: "medium",
  campaign: "campaign",
  ad_group: "ad group",
  ad: "ad",
  sub1: "sub-ID 1",
  sub2: "sub-ID 2",
  sub3: "sub-ID 3",
  sub4: "sub-ID 4",
  sub5: "sub-ID 5",
  page: "landing page",
  device: "device",
  referrer: "entry referrer",
  returning: "new and returning",
};

/** What the rows are told apart by. "hour" is a drawing, and "counts" holds both sides against each other. */
export const BY: Record<string, string> = {
  steps: "step by step",
  ...DIMENSIONS,
  hour: "hour and weekday",
  counts: "what the ad side says of it",
};

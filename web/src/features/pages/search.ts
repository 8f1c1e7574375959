/** What of the landing page table stands in the address. */
import { type Lens, readLens } from "../../lib/lens";

export interface PagesSearch extends Lens {
  /** The saved view that it came from. */
  view?: number;
  /** As pictures, not as a table. */
  as?: "wall";
  /** The page whose detail is open, and the up to four that are compared. */
  open?: number;
  a?: number;
  b?: number;
  c?: number;
  d?: number;
  sort?: string;
  /** What is drawn over time, and how long each point is. */
  chart?: string;
  grain?: "day" | "week";
  /** A kept path whose steps stand beside each page; 0 for none where the wall would choose one. */
  path?: number;
  /** Which columns, in this order, by key. */
  columns?: string;
  /** How wide those that were sized are. */
  widths?: string;
}

const number = (value: unknown) => (value == null || Number.isNaN(Number(value)) ? undefined : Number(value));

export const readPagesSearch = (s: Record<string, unknown>): PagesSearch => ({
  ...readLens(s),
  view: number(s.view),
  as: s.as === "wall" ? "wall" : undefined,
  open: number(s.open),
  path: number(s.path),
  chart: typeof s.chart === "string" && s.chart ? s.chart : undefined,
  grain: s.grain === "week" ? "week" : undefined,
  a: number(s.a),
  b: number(s.b),
  c: number(s.c),
  d: number(s.d),
  sort: typeof s.sort === "string" ? s.sort : undefined,
  columns: typeof s.columns === "string" && s.columns ? s.columns : undefined,
  widths: typeof s.widths === "string" && s.widths ? s.widths : undefined,
});

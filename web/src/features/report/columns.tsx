/** What every report's rows share, and its columns: what each shows, and what it is sorted by. */
import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { SpreadBar } from "../../charts/SpreadBar";
import { returnScale, type Scale, scaleEnd } from "../../charts/scale";
import { count, money, percent, plural, times } from "../../lib/format";

type Read = Schemas["LensOut"];
type Interval = Schemas["IntervalOut"] | null;
export type Measured = Omit<Schemas["SourceRowOut"], "kind" | "value" | "name" | "title">;

/** What the cells of all rows share. */
export interface Frame<R extends Measured = Measured> {
  read: Read;
  /** The same in the period before, where that is compared. */
  was: (row: R) => R | undefined;
  compared: boolean;
  rateEnd: number;
  roas: Scale;
  /** How wide bars are drawn, where not as their columns have it. */
  bars?: number;
}

export interface Column<R extends Measured = Measured> {
  key: string;
  head: (frame: Frame<R>) => ReactNode;
  /** What a person reads in the list of columns. */
  name: string;
  /** In a word or two, where there is little room. */
  brief?: string;
  cell: (row: R, frame: Frame<R>) => ReactNode;
  /** By what rows are put in order. Rates by the bound that the evidence supports, never by the raw rate. */
  order: (row: R, down: boolean) => number | null;
  /** Shown only where somebody has asked for it. */
  optional?: boolean;
  /** Stays when the detail is open beside the table. */
  narrow?: boolean;
}

const number = (text: string | null) => (text == null ? null : Number(text));
export const bound = (i: Interval, down: boolean) => (i ? (down ? i.low : i.high) : null);

export function frameOf<R extends Measured>(
  rows: R[],
  read: Read,
  was: (row: R) => R | undefined,
  compared: boolean,
): Frame<R> {
  // A thin row's wide interval must not squeeze all others; it runs off the scale's end.
  const solid = (pick: (r: R) => Interval) =>
    scaleEnd(rows.map((r) => (r.thin ? pick(r)?.estimate : (pick(r)?.high ?? pick(r)?.estimate))));
  return {
    read,
    was: (row) => (compared ? was(row) : undefined),
    compared,
    rateEnd: Math.min(
      1,
      solid((r) => r.conversion_rate),
    ),
    roas: returnScale(
      rows.map((r) => ({ estimate: number(r.roas), thin: r.thin })),
      read.break_even_roas,
    ),
  };
}

function Earlier({ children }: { children: ReactNode }) {
  return <span className="num block text-mark leading-tight font-normal text-quiet">was {children}</span>;
}

export function Plain({ now, was }: { now: ReactNode; was?: ReactNode }) {
  return (
    <span className="num">
      {now}
      {was !== undefined && <Earlier>{was}</Earlier>}
    </span>
  );
}

interface RateProps {
  rate: Interval | undefined;
  was?: Interval;
  /** Another rate to hold it against, as a hollow mark. */
  typical?: number | null;
  end: number;
  of: string;
  width: number;
  thin?: boolean;
  /** What conversions that are still to come will add. */
  more?: Interval;
  /** How its values are written; as per cents without it. */
  written?: (value: number) => string;
}

export function Rate({ rate, was, typical, end, of, width, thin, more, written }: RateProps) {
  if (!rate) return <span className="text-quiet">–</span>;
  const digits = end === 1 ? 0 : 2;
  const write = (value: number | null | undefined, places?: number) =>
    value == null || !written ? percent(value, places) : written(value);
  const label = `${write(rate.estimate)}, between ${write(rate.low)} and ${write(rate.high)}: ${of}${thin ? ". Thin." : ""}${toCome(more, write)}`;
  return (
    <span className="inline-flex items-center justify-end gap-2">
      <span className="num">
        {write(rate.estimate, digits)}
        {was && <Earlier>{write(was.estimate, digits)}</Earlier>}
      </span>
      <SpreadBar
        {...rate}
        scale={end}
        before={typical ?? was?.estimate}
        expected={withMore(rate.estimate, more)}
        thin={thin && end !== 1}
        width={width}
        label={label}
      />
    </span>
  );
}

const withMore = (estimate: number | null, more: Interval | undefined) =>
  estimate != null && more?.estimate ? estimate + more.estimate : null;

/** Said beside what the dashed mark shows. */
const toCome = (more: Interval | undefined, write: (value: number | null | undefined) => string) =>
  more?.estimate
    ? `. What is still to come of these visits will add about ${write(more.estimate)} (${write(more.low)} to ${write(more.high)}).`
    : "";

/** A column of plain numbers, with the period before under each where that is compared. */
export const plainColumn = <R extends Measured>(
  key: string,
  name: string,
  head: Column<R>["head"],
  show: (row: R) => string,
  order: (row: R) => number | null,
  more: Partial<Column<R>> = { optional: true },
): Column<R> => ({
  key,
  name,
  head,
  order,
  cell: (r, f) => {
    const earlier = f.was(r);
    return <Plain now={show(r)} was={earlier && show(earlier)} />;
  },
  ...more,
});

export function Two({ of, and }: { of: string; and: string }) {
  return (
    <>
      {of}
      <br />
      {and}
    </>
  );
}

/** A column's head with the scale that its bars share. */
export function Scaled({ of, to }: { of: string; to: string }) {
  return (
    <>
      {of}
      <br />
      <span className="num text-mark">0 – {to}</span>
    </>
  );
}

const was = <R extends Measured>(row: R, frame: Frame<R>, show: (row: R) => string) => {
  const earlier = frame.was(row);
  return earlier && show(earlier);
};

// What no spend file has told is a dash, not nought.
const some = (n: number) => (n ? count(n) : "–");
const share = (text: string | null | undefined) => (text == null ? "–" : percent(Number(text)));

/** The columns that any report can show, in their usual order. */
export const measuredColumns = <R extends Measured>(): Column<R>[] => [
  {
    key: "entries",
    name: "Entries",
    head: () => "Entries",
    cell: (r, f) => <Plain now={count(r.entries)} was={f.was(r) && count(f.was(r)?.entries)} />,
    order: (r) => r.entries,
    narrow: true,
  },
  {
    key: "begun_views",
    name: "Views in visits that began here",
    head: () => (
      <>
        Views in visits
        <br />
        that began here
      </>
    ),
    cell: (r, f) => <Plain now={count(r.begun_views)} was={f.was(r) && count(f.was(r)?.begun_views)} />,
    order: (r) => r.begun_views,
  },
  {
    key: "bounce_rate",
    name: "Bounce rate",
    brief: "bounces",
    head: () => (
      <>
        Bounce rate
        <br />
        <span className="num text-mark">0 – 100 %</span>
      </>
    ),
    cell: (r, f) => (
      <Rate
        rate={r.bounce_rate}
        was={f.was(r)?.bounce_rate}
        end={1}
        of={`${count(r.bounces)} of ${count(r.entries)} entries`}
        width={f.bars ?? 46}
      />
    ),
    order: (r, down) => bound(r.bounce_rate, down),
  },
  {
    key: "conversion_rate",
    name: "Conversion rate",
    brief: "converts",
    head: (f) => (
      <>
        Conversion rate
        <br />
        <span className="num text-mark">0 – {percent(f.rateEnd, f.rateEnd < 0.01 ? 1 : 0)}</span>
      </>
    ),
    cell: (r, f) => (
      <Rate
        rate={r.conversion_rate}
        was={f.was(r)?.conversion_rate}
        end={f.rateEnd}
        of={`${count(r.converted)} of ${count(r.entries)} entries`}
        more={r.rate_to_come}
        thin={r.thin}
        width={f.bars ?? 84}
      />
    ),
    order: (r, down) => bound(r.conversion_rate, down),
    narrow: true,
  },
  {
    key: "conversions",
    name: "Conversions",
    head: (f) => <span className="capitalize">{plural(f.read.conversion?.category)}</span>,
    cell: (r, f) => <Plain now={conversions(r)} was={was(r, f, conversions)} />,
    order: (r) => Number(r.conversions),
    narrow: true,
  },
  {
    key: "revenue",
    name: "Revenue",
    head: (f) =>
      f.read.lifetime_factor == null ? (
        <Money text="Revenue" frame={f} />
      ) : (
        <>
          <Money text="Revenue" frame={f} />
          <br />
          <span className="text-mark">lifetime</span>
        </>
      ),
    cell: (r, f) => (
      <>
        <Plain now={money(r.revenue, undefined, 0)} was={was(r, f, (x) => money(x.revenue, undefined, 0))} />
        {r.lifetime_revenue != null && (
          <span className="num block text-mark leading-tight text-quiet">
            {money(r.lifetime_revenue, undefined, 0)}
          </span>
        )}
      </>
    ),
    order: (r) => Number(r.revenue),
  },
  {
    key: "spend",
    name: "Spend",
    head: (f) => <Money text="Spend" frame={f} />,
    cell: (r, f) => (
      <Plain
        now={Number(r.spend) ? money(r.spend, undefined, 0) : "–"}
        was={was(r, f, (x) => money(x.spend, undefined, 0))}
      />
    ),
    order: (r) => Number(r.spend),
  },
  plainColumn(
    "impressions",
    "Impressions",
    () => "Impressions",
    (r) => some(r.impressions),
    (r) => r.impressions,
  ),
  plainColumn(
    "clicks",
    "Clicks",
    () => "Clicks",
    (r) => some(r.clicks),
    (r) => r.clicks,
  ),
  plainColumn(
    "ctr",
    "CTR: clicks of impressions",
    () => "CTR",
    (r) => share(r.ctr),
    (r) => number(r.ctr),
  ),
  plainColumn(
    "cpc",
    "CPC: spend for a click",
    (f) => <Money text="CPC" frame={f} />,
    (r) => money(r.cpc),
    (r) => number(r.cpc),
  ),
  plainColumn(
    "cpm",
    "CPM: spend for 1,000 impressions",
    (f) => <Money text="CPM" frame={f} />,
    (r) => money(r.cpm),
    (r) => number(r.cpm),
  ),
  plainColumn(
    "aov",
    "AOV: average value of one",
    (f) => <Money text="AOV" frame={f} />,
    (r) => money(r.aov),
    (r) => number(r.aov),
  ),
  plainColumn(
    "profit",
    "Profit: margin of revenue less spend",
    (f) => <Money text="Profit" frame={f} />,
    (r) => money(r.profit, undefined, 0),
    (r) => number(r.profit),
  ),
  {
    key: "cost",
    name: "CPA: cost per conversion",
    brief: "CPA",
    head: (f) => <Money text="CPA" frame={f} />,
    cell: (r, f) => <Plain now={money(r.cost_per_conversion)} was={was(r, f, (x) => money(x.cost_per_conversion))} />,
    order: (r) => number(r.cost_per_conversion),
  },
  {
    key: "roas",
    name: "Return on ad spend",
    brief: "ROAS",
    head: (f) => (
      <>
        ROAS
        <br />
        <span className="num text-mark">{scaleText(f.roas)}</span>
      </>
    ),
    cell: (r, f) => <Roas row={r} frame={f} />,
    order: (r, down) => (r.roas_interval ? (down ? r.roas_interval.low : r.roas_interval.high) : number(r.roas)),
    narrow: true,
  },
];

/** "0.6 – 5.8×": a return's scale, about break-even. */
export const scaleText = ({ low, high }: Scale) => `${Number(low.toPrecision(2))} – ${Number(high.toPrecision(2))}×`;

function Money({ text, frame }: { text: string; frame: Pick<Frame, "read"> }) {
  return (
    <>
      {text}
      <br />
      <span className="num text-mark">{frame.read.currency}</span>
    </>
  );
}

/** Whole, but for the linear model, where a page has parts of conversions. */
const conversions = (r: Measured) => {
  const n = Number(r.conversions);
  return Number.isInteger(n) ? count(n) : n.toFixed(1);
};

function Roas<R extends Measured>({ row, frame }: { row: R; frame: Frame<R> }) {
  if (row.roas == null)
    return <span className="text-small text-quiet">{Number(row.spend) ? "no value" : "no spend"}</span>;
  const i = row.roas_interval;
  // Against break-even: 1 over the margin, from the server.
  const bar = frame.read.break_even_roas;
  const against = bar == null ? "ink" : i?.low != null && i.low > bar ? "fern" : "ink";
  const tone = bar != null && i?.high != null && i.high < bar ? "brick" : against;
  const range = i
    ? `${times(row.roas)}, between ${times(i.low)} and ${times(i.high)}${bar == null ? "" : `; breaks even at ${times(bar)}`}`
    : `${times(row.roas)}, too few days for a range`;
  const label = range + toCome(row.roas_to_come, times);
  const earlier = frame.was(row)?.roas;
  return (
    <span className="inline-flex items-center justify-end gap-2">
      <span className="num font-semibold" style={{ color: `var(--color-${tone})` }}>
        {times(row.roas)}
        {earlier != null && <Earlier>{times(earlier)}</Earlier>}
      </span>
      <SpreadBar
        low={i?.low}
        estimate={Number(row.roas)}
        high={i?.high}
        expected={withMore(Number(row.roas), row.roas_to_come)}
        scale={frame.roas}
        thin={row.thin}
        tone={tone}
        width={frame.bars ?? 44}
        label={label}
      />
    </span>
  );
}

/** The columns of the landing page table: what each shows, and what it is sorted by. */
import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { SpreadBar, scaleEnd } from "../../charts/SpreadBar";
import { count, money, percent, plural, times } from "../../lib/format";

/** A row of the report; "further" and "no_visit" rows stand for no page. */
export type AnyRow = Schemas["PageRowOut"];
export type Row = AnyRow & { page_id: number };
export const isPage = (row: AnyRow): row is Row => row.kind === "page" && row.page_id != null;
type Read = Schemas["LensOut"];

/** What the cells of all rows share. */
export interface Frame {
  read: Read;
  before: Record<string, AnyRow>;
  compared: boolean;
  bounceEnd: number;
  rateEnd: number;
  roasEnd: number;
}

export interface Column {
  key: string;
  head: (frame: Frame) => ReactNode;
  /** What a person reads in the list of columns. */
  name: string;
  cell: (row: AnyRow, frame: Frame) => ReactNode;
  /** By what rows are put in order. Rates by the bound that the evidence supports, never by the raw rate. */
  order: (row: AnyRow, down: boolean) => number | null;
  /** Shown only where somebody has asked for it. */
  optional?: boolean;
  /** Stays when the detail is open beside the table. */
  narrow?: boolean;
}

const number = (text: string | null) => (text == null ? null : Number(text));
const bound = (i: Row["bounce_rate"], down: boolean) => (i ? (down ? i.low : i.high) : null);

export function frameOf(all: AnyRow[], read: Read, before: Record<string, AnyRow>, compared: boolean): Frame {
  const rows = all.filter(isPage);
  // A thin page's wide interval must not squeeze all others; it runs off the scale's end.
  const solid = (pick: (r: Row) => Row["bounce_rate"]) =>
    scaleEnd(rows.map((r) => (r.thin ? pick(r)?.estimate : (pick(r)?.high ?? pick(r)?.estimate))));
  return {
    read,
    before,
    compared,
    bounceEnd: 1,
    rateEnd: Math.min(
      1,
      solid((r) => r.conversion_rate),
    ),
    roasEnd: scaleEnd(rows.map((r) => (r.thin ? 0 : number(r.roas)))),
  };
}

function Earlier({ children }: { children: ReactNode }) {
  return <span className="num block text-mark leading-tight font-normal text-quiet">was {children}</span>;
}

function Plain({ now, was, frame }: { now: ReactNode; was?: ReactNode; frame: Frame }) {
  return (
    <span className="num">
      {now}
      {frame.compared && was !== undefined && <Earlier>{was}</Earlier>}
    </span>
  );
}

function Rate({
  row,
  frame,
  pick,
  end,
  of,
  width,
}: {
  row: AnyRow;
  frame: Frame;
  pick: (r: AnyRow) => Row["bounce_rate"];
  end: number;
  of: (r: AnyRow) => string;
  width: number;
}) {
  const rate = pick(row);
  const was = frame.compared ? frame.before[row.page_id ?? ""] : undefined;
  if (!rate) return <span className="text-quiet">–</span>;
  const label = `${percent(rate.estimate)}, between ${percent(rate.low)} and ${percent(rate.high)}: ${of(row)}${row.thin ? ". Thin." : ""}`;
  return (
    <span className="inline-flex items-center justify-end gap-2">
      <span className="num">
        {percent(rate.estimate, end === 1 ? 0 : 2)}
        {was && <Earlier>{percent(pick(was)?.estimate, end === 1 ? 0 : 2)}</Earlier>}
      </span>
      <SpreadBar
        {...rate}
        max={end}
        before={was && pick(was)?.estimate}
        thin={row.thin && end !== 1}
        width={width}
        label={label}
      />
    </span>
  );
}

const was = (row: AnyRow, frame: Frame) => frame.before[row.page_id ?? ""];

/** An optional column of plain numbers, with the period before under each where that is compared. */
const plainColumn = (
  key: string,
  name: string,
  head: Column["head"],
  show: (row: AnyRow) => string,
  order: (row: AnyRow) => number | null,
): Column => ({
  key,
  name,
  head,
  order,
  optional: true,
  cell: (r, f) => {
    const earlier = was(r, f);
    return <Plain now={show(r)} was={earlier && show(earlier)} frame={f} />;
  },
});

function Two({ of, and }: { of: string; and: string }) {
  return (
    <>
      {of}
      <br />
      {and}
    </>
  );
}

// What no spend file has told is a dash, not nought.
const some = (n: number) => (n ? count(n) : "–");
const share = (text: string | null | undefined) => (text == null ? "–" : percent(Number(text)));

export const COLUMNS: Column[] = [
  {
    key: "entries",
    name: "Entries",
    head: () => "Entries",
    cell: (r, f) => <Plain now={count(r.entries)} was={count(was(r, f)?.entries)} frame={f} />,
    order: (r) => r.entries,
    narrow: true,
  },
  {
    key: "views",
    name: "Views of the page",
    head: () => (
      <>
        Views of
        <br />
        the page
      </>
    ),
    cell: (r, f) => <Plain now={count(r.views)} was={count(was(r, f)?.views)} frame={f} />,
    order: (r) => r.views,
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
    cell: (r, f) => <Plain now={count(r.begun_views)} was={count(was(r, f)?.begun_views)} frame={f} />,
    order: (r) => r.begun_views,
  },
  {
    key: "bounce_rate",
    name: "Bounce rate",
    head: () => (
      <>
        Bounce rate
        <br />
        <span className="num text-mark">0 – 100 %</span>
      </>
    ),
    cell: (r, f) => (
      <Rate
        row={r}
        frame={f}
        pick={(x) => x.bounce_rate}
        end={f.bounceEnd}
        of={(x) => `${count(x.bounces)} of ${count(x.entries)} entries`}
        width={46}
      />
    ),
    order: (r, down) => bound(r.bounce_rate, down),
  },
  {
    key: "exit_rate",
    name: "Exit rate",
    optional: true,
    head: () => (
      <>
        Exit rate
        <br />
        <span className="num text-mark">0 – 100 %</span>
      </>
    ),
    cell: (r, f) => (
      <Rate
        row={r}
        frame={f}
        pick={(x) => x.exit_rate}
        end={1}
        of={(x) => `${count(x.exits)} of ${count(x.views)} views were a visit’s last`}
        width={46}
      />
    ),
    order: (r, down) => bound(r.exit_rate, down),
  },
  plainColumn(
    "visitors",
    "Visitors",
    () => "Visitors",
    (r) => count(r.visitors),
    (r) => r.visitors,
  ),
  plainColumn(
    "new_visitors",
    "New visitors",
    () => <Two of="New" and="visitors" />,
    (r) => count(r.new_visitors),
    (r) => r.new_visitors,
  ),
  plainColumn(
    "views_per_visitor",
    "Views per visitor",
    () => <Two of="Views per" and="visitor" />,
    (r) => r.views_per_visitor?.toFixed(2) ?? "–",
    (r) => r.views_per_visitor,
  ),
  {
    key: "conversion_rate",
    name: "Conversion rate",
    head: (f) => (
      <>
        Conversion rate
        <br />
        <span className="num text-mark">0 – {percent(f.rateEnd, f.rateEnd < 0.01 ? 1 : 0)}</span>
      </>
    ),
    cell: (r, f) => (
      <Rate
        row={r}
        frame={f}
        pick={(x) => x.conversion_rate}
        end={f.rateEnd}
        of={(x) => `${count(x.converted)} of ${count(x.entries)} entries`}
        width={84}
      />
    ),
    order: (r, down) => bound(r.conversion_rate, down),
    narrow: true,
  },
  {
    key: "conversions",
    name: "Conversions",
    head: (f) => <span className="capitalize">{plural(f.read.conversion?.category)}</span>,
    cell: (r, f) => <Plain now={conversions(r)} was={was(r, f) && conversions(was(r, f) as AnyRow)} frame={f} />,
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
        <Plain now={money(r.revenue, undefined, 0)} was={money(was(r, f)?.revenue, undefined, 0)} frame={f} />
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
        was={money(was(r, f)?.spend, undefined, 0)}
        frame={f}
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
    name: "Cost per conversion",
    head: (f) => <Money text="Cost for one" frame={f} />,
    cell: (r, f) => <Plain now={money(r.cost_per_conversion)} was={money(was(r, f)?.cost_per_conversion)} frame={f} />,
    order: (r) => number(r.cost_per_conversion),
  },
  {
    key: "roas",
    name: "Return on ad spend",
    head: (f) => (
      <>
        ROAS
        <br />
        <span className="num text-mark">0 – {f.roasEnd}×</span>
      </>
    ),
    cell: (r, f) => <Roas row={r} frame={f} />,
    order: (r, down) => (r.roas_interval ? (down ? r.roas_interval.low : r.roas_interval.high) : number(r.roas)),
    narrow: true,
  },
];

function Money({ text, frame }: { text: string; frame: Frame }) {
  return (
    <>
      {text}
      <br />
      <span className="num text-mark">{frame.read.currency}</span>
    </>
  );
}

/** Of all columns those that an address shows. */
export const DISTINCT = ["visitors", "new_visitors", "views_per_visitor"];
export const shownColumns = (hide: string | undefined, show: string | undefined) => {
  const [less, more] = [hide?.split(",") ?? [], show?.split(",") ?? []];
  return COLUMNS.filter((c) => (c.optional ? more.includes(c.key) : !less.includes(c.key)));
};

/** Whole, but for the linear model, where a page has parts of conversions. */
const conversions = (r: AnyRow) => {
  const n = Number(r.conversions);
  return Number.isInteger(n) ? count(n) : n.toFixed(1);
};

function Roas({ row, frame }: { row: AnyRow; frame: Frame }) {
  if (row.roas == null)
    return <span className="text-small text-quiet">{Number(row.spend) ? "no value" : "no spend"}</span>;
  const i = row.roas_interval;
  // Against break-even: 1 over the margin, from the server.
  const bar = frame.read.break_even_roas;
  const tone = i?.high != null && i.high < bar ? "brick" : i?.low != null && i.low > bar ? "fern" : "ink";
  const label = i
    ? `${times(row.roas)}, between ${times(i.low)} and ${times(i.high)}; breaks even at ${times(bar)}`
    : `${times(row.roas)}, too few days for a range`;
  const earlier = frame.compared ? was(row, frame)?.roas : undefined;
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
        max={frame.roasEnd}
        thin={row.thin}
        tone={tone}
        width={44}
        label={label}
      />
    </span>
  );
}

/** What else a test did: guards, which must not get worse, and further measures. */
import type { Schemas } from "../../api/client";
import { RangeMark } from "../../charts/RangeMark";
import { Scroll } from "../../components/Scroll";
import { type Column, Table } from "../../components/Table";
import { cx, Letter } from "../../components/ui";
import { count, money, percent, pValue, several, signed } from "../../lib/format";

type Result = Schemas["ResultOut"];
type Measure = Schemas["MeasureOut"];
type Standing = NonNullable<Schemas["AgainstMeasureOut"]["standing"]>;

const STANDINGS: Record<Standing, { text: string; tone: string }> = {
  holds: { text: "holds", tone: "text-fern" },
  fails: { text: "fails", tone: "text-brick" },
  open: { text: "cannot be told yet", tone: "text-quiet" },
};

/** What is measured, in words. */
export function measured(m: Measure, currency: string) {
  if (m.measure.what === "bounce") return "bounces";
  const many = m.name ? several(m.name) : "a conversion that was deleted";
  return m.measure.what === "value" ? `value of ${many}, ${currency} a visitor` : `visitors with ${many}`;
}

const limit = (m: Measure) => {
  const worse = m.measure.lower_is_better ? "higher" : "lower";
  return m.measure.margin ? `no more than ${percent(m.measure.margin, 0)} ${worse} than A’s` : `not ${worse} than A’s`;
};

interface Row {
  key: string;
  m: Measure;
  arm: Schemas["ArmMeasureOut"];
  against?: Schemas["AgainstMeasureOut"];
}

export function Measures({ r }: { r: Result }) {
  if (!r.measures.length) return null;
  const rows = r.measures.flatMap((m, place) =>
    m.arms.map(
      (arm): Row => ({ key: `${place}${arm.letter}`, m, arm, against: m.against.find((a) => a.letter === arm.letter) }),
    ),
  );
  const columns: Column<Row>[] = [
    {
      key: "what",
      head: "Measure",
      text: true,
      className: "whitespace-normal",
      cell: ({ m, against }) =>
        !against && (
          <>
            <span className="font-medium">{measured(m, r.currency)}</span>
            <span className="block text-small text-quiet">
              {m.measure.guard ? `guard: ${limit(m)}` : "read beside"}
            </span>
          </>
        ),
    },
    { key: "letter", head: "Variant", text: true, cell: ({ arm }) => <Letter letter={arm.letter} /> },
    {
      key: "level",
      head: "Seen",
      className: "num",
      cell: ({ arm }) =>
        arm.rate ? (
          <>
            {percent(arm.rate.estimate)}
            <span className="block text-small text-quiet">
              {count(arm.did)} of {count(arm.visitors)}
            </span>
          </>
        ) : (
          <>
            {money(arm.mean)}
            <span className="block text-small text-quiet">{count(arm.visitors)} visitors</span>
          </>
        ),
    },
    {
      key: "range",
      head: (
        <>
          Against A,
          <br />
          95 % at every look
        </>
      ),
      cell: ({ m, against }) => {
        if (against?.range.low == null || against.range.high == null) return against ? "–" : null;
        const scale = m.measure.what === "value" ? 1 : 100;
        const { low, high } = against.range;
        return (
          <span className="inline-flex items-center gap-2">
            <span className="num">
              {signed(low * scale)} to {signed(high * scale)}
              {m.measure.what !== "value" && <span className="text-quiet"> / 100</span>}
            </span>
            <RangeMark
              low={low}
              high={high}
              limit={m.measure.guard ? limitOf(m) : undefined}
              tone={against.standing === "fails" ? "brick" : against.standing === "holds" ? "fern" : "ink"}
            />
          </span>
        );
      },
    },
    {
      key: "standing",
      head: "So",
      text: true,
      cell: ({ m, against }) => {
        if (!against) return null;
        if (against.standing)
          return (
            <span className={cx("font-medium", STANDINGS[against.standing].tone)}>
              {STANDINGS[against.standing].text}
            </span>
          );
        return <span className="text-quiet">{besideSays(m, against)}</span>;
      },
    },
    {
      key: "p",
      head: "Plain p, one look",
      className: "num",
      cell: ({ against }) => against && pValue(against.p_value),
    },
  ];
  return (
    <section aria-labelledby="measures" className="mt-5">
      <h2 id="measures" className="font-semibold">
        Guards and further measures
      </h2>
      <p className="max-w-4xl text-quiet">
        A guard fails once all of its range is worse than its limit, and holds once none is. Each range allows for daily
        looks and for the others of its sort; p-values are Holm’s.
      </p>
      <Scroll label="Guards and further measures" className="mt-2">
        <Table rows={rows} rowKey={(row) => row.key} columns={columns} />
      </Scroll>
    </section>
  );
}

/** The guard's limit as a difference. */
function limitOf(m: Measure) {
  const control = m.arms[0];
  const level = control?.rate ? control.rate.estimate : control?.mean;
  if (level == null) return undefined;
  return (m.measure.lower_is_better ? 1 : -1) * (m.measure.margin ?? 0) * Math.abs(level);
}

function besideSays(m: Measure, { range }: Schemas["AgainstMeasureOut"]) {
  if (range.low == null || range.high == null) return "cannot be told yet";
  const better = m.measure.lower_is_better ? range.high < 0 : range.low > 0;
  const worse = m.measure.lower_is_better ? range.low > 0 : range.high < 0;
  return better ? "better" : worse ? "worse" : "no difference seen";
}

/** Yesterday's counts, each on the range in which such a weekday usually falls. */
import type { Schemas } from "../../api/client";
import { SpreadBar } from "../../charts/SpreadBar";
import { scaleEnd } from "../../charts/scale";
import { type Column, Table } from "../../components/Table";
import { cx } from "../../components/ui";
import { count, day, weekday, words } from "../../lib/format";

type Counted = Schemas["YesterdayOut"]["counts"][number];

function beside({ count: n, usual }: Counted) {
  if (usual?.low == null || usual.high == null) return;
  return n < usual.low ? "fewer" : n > usual.high ? "more" : "usual";
}

const isOut = (c: Counted) => ["fewer", "more"].includes(beside(c) ?? "");

export function Usual({ yesterday: y }: { yesterday: Schemas["YesterdayOut"] }) {
  const known = y.counts.some((c) => c.usual);
  const share = (value: number | null | undefined, c: Counted) =>
    value == null || !c.usual?.estimate ? null : value / c.usual.estimate;
  const end = Math.min(4, scaleEnd(y.counts.flatMap((c) => [share(c.usual?.high, c), share(c.count, c)])));
  const usual: Column<Counted>[] = [
    {
      key: "usually",
      head: "Usually",
      className: "num text-quiet",
      cell: (c) => (c.usual ? `${count(c.usual.low)} to ${count(c.usual.high)}` : "–"),
    },
    {
      key: "range",
      head: `0 to ${end}× usual`,
      cell: (c) => {
        const is = beside(c);
        return (
          <>
            <SpreadBar
              low={share(c.usual?.low, c)}
              estimate={share(c.count, c)}
              high={share(c.usual?.high, c)}
              scale={end}
              thin={(c.usual?.estimate ?? 0) < 5}
              tone={is === "fewer" ? "brick" : is === "more" ? "fern" : "ink"}
              label={`${count(c.count)}; usually ${count(c.usual?.low)} to ${count(c.usual?.high)}`}
            />
            {isOut(c) && <span className="block text-fine leading-tight">{is} than usual</span>}
          </>
        );
      },
    },
  ];
  return (
    <section aria-label="Yesterday" className="min-w-0">
      <h2 className="mb-2 text-title">
        Yesterday, {weekday(y.day)} {day(y.day)}
      </h2>
      <div className="panel overflow-x-auto">
        <Table<Counted>
          dense
          rows={y.counts}
          rowKey={(c) => c.id ?? "visits"}
          columns={[
            { key: "count", head: "Count", text: true, className: "whitespace-normal", cell: (c) => words(c.name) },
            {
              key: "yesterday",
              head: "Yesterday",
              className: (c) => cx("num", isOut(c) && "font-semibold"),
              cell: (c) => count(c.count),
            },
            ...(known ? usual : []),
          ]}
        />
      </div>
      <p className="mt-2 text-small text-quiet">
        {y.away
          ? "Clabo was not running for all of that day: its counts are too low, and are held against nothing."
          : known
            ? `Usually: where 95 of 100 such days fall, judged from the ${y.days} ${weekday(y.day)}s before. One count in twenty falls outside by chance.`
            : `What is usual shows once there are four whole ${weekday(y.day)}s to go by; so far ${y.days === 1 ? "there is" : "there are"} ${y.days}.`}
      </p>
    </section>
  );
}

/** What a plan should bring in a week: nine of ten weeks, by practice weeks and the site's own past. */
import { SpreadBar } from "../../charts/SpreadBar";
import { scaleEnd } from "../../charts/scale";
import { Table } from "../../components/Table";
import { count, money, several, times, words } from "../../lib/format";
import type { Effect } from "./queries";

interface Props {
  effect: Effect;
  aim: string;
  currency: string;
}

type Range = { low: number | null; middle: number | null; high: number | null };

export function Outlook({ effect, aim, currency }: Props) {
  const o = effect.outlook;
  if (!o) return null;
  const whole = (n: number | null) => count(n == null ? null : Math.round(n));
  const cash = (n: number | null) => (n == null ? "–" : money(n, currency, n < 100 ? 2 : 0));
  const rows: { name: string; of: Range | null; as: (n: number | null) => string }[] = [
    { name: "People reached", of: o.reached, as: whole },
    { name: "Spend", of: o.cost, as: cash },
    { name: "Clicks", of: o.clicks, as: whole },
    { name: upper(several(aim)), of: o.conversions, as: whole },
    { name: `Cost per ${words(aim)}`, of: o.cost_of_one, as: cash },
    { name: "ROAS", of: o.roas, as: (n) => (n == null ? "–" : times(n)) },
  ];
  const known = rows.filter((r): r is (typeof rows)[number] & { of: Range } => r.of != null);
  return (
    <section aria-label="What it should bring in a week">
      <h2 className="mb-1 text-lead">What it should bring in a week</h2>
      <Table
        caption="What it should bring in a week"
        bare
        columns={[
          { key: "name", head: "", text: true, cell: (r) => r.name },
          {
            key: "middle",
            head: "Half of the weeks",
            cell: (r) => <span className="num font-semibold">{r.of.middle == null ? "none" : r.as(r.of.middle)}</span>,
          },
          {
            key: "range",
            head: "Nine of ten weeks",
            cell: (r) => (
              <span className="num text-quiet">
                {r.as(r.of.low)} to {r.of.high == null ? "no end" : r.as(r.of.high)}
              </span>
            ),
          },
          {
            key: "bar",
            head: "",
            cell: (r) => (
              <SpreadBar
                low={r.of.low}
                estimate={r.of.middle}
                high={r.of.high}
                scale={scaleEnd([r.of.high ?? (r.of.middle ?? r.of.low ?? 1) * 2])}
                width={96}
                label={`${r.name}: ${r.as(r.of.low)} to ${r.of.high == null ? "no end" : r.as(r.of.high)}, each row on a scale of its own from nought`}
              />
            ),
          },
        ]}
        rows={known}
        rowKey={(r) => r.name}
      />
      <p className="mt-2 text-small text-quiet">
        Nine of ten weeks fall inside, by 39 practice weeks against the network’s own competitors.{" "}
        <Rests effect={effect} aim={aim} />
        {o.roas && ` Break-even ROAS is ${times(effect.break_even)}.`} Its bars begin at zero, each on a scale of its
        own.
      </p>
    </section>
  );
}

const upper = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** Where the conversions come from. */
function Rests({ effect, aim }: { effect: Effect; aim: string }) {
  if (!effect.rests_on.length)
    return <>How many {several(aim)} come of the clicks is not known: too few paid clicks have ended in one so far.</>;
  return (
    <>
      {effect.rests_on.map((r) => (
        <span key={r.path}>
          {r.elsewhere
            ? `Nothing paid has led to ${r.path} lately, so ${several(aim)} are taken from all pages: `
            : `${upper(several(aim))} are taken from what paid for ${r.path} in the last 90 days: `}
          {count(r.conversions)} of {count(r.clicks)} clicks of {count(r.campaigns)} campaign
          {r.campaigns === 1 ? "" : "s"}, and how far those lay apart.
        </span>
      ))}
    </>
  );
}

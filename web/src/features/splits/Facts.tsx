/** What else is known of a test beside its range, in three groups: the decision, whether it can be trusted, and money. */
import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { Hint } from "../../components/Hint";
import { count, day, percent, plural, pValue, signed } from "../../lib/format";
import { shares } from "./verdict";

type Result = Schemas["ResultOut"];

interface Fact {
  name: string;
  /** What the number is, in a sentence. */
  hint: string;
  value: ReactNode;
}

export function Facts({ r }: { r: Result }) {
  return (
    <div className="flex flex-col gap-4">
      <Group name="Decision" facts={decision(r)} />
      <Group name="Soundness" facts={soundness(r)} />
      <Group name={`Revenue per visitor, ${r.currency}`} facts={money(r)} />
    </div>
  );
}

function Group({ name, facts }: { name: string; facts: Fact[] }) {
  if (facts.length === 0) return null;
  return (
    <section aria-label={name}>
      <h2 className="text-lead">{name}</h2>
      <dl>
        {facts.map((f) => (
          <div key={f.name} className="flex items-baseline justify-between gap-3 border-b py-1.5 last:border-b-0">
            <dt>
              <Hint says={f.hint}>{f.name}</Hint>
            </dt>
            <dd className="num text-right whitespace-nowrap">{f.value}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

function decision(r: Result): Fact[] {
  const many = plural(r.category);
  const best = r.arms.reduce((a, b) => ((b.chance ?? 0) > (a.chance ?? 0) ? b : a));
  const loss = best.loss == null ? null : best.loss * 100;
  return [
    {
      name: `Chance to be best: ${best.letter}`,
      hint: "The probability that this variant has the highest conversion rate of all.",
      value: (best.chance ?? 0) > 0.9995 ? "> 99.9\u00a0%" : percent(best.chance, 1),
    },
    {
      name: `Expected loss with ${best.letter}`,
      hint: `${many} lost per 100 visitors on average if you adopt it and another one is better.`,
      value: loss == null ? "–" : `${loss < 0.001 ? "< 0.001" : loss.toFixed(3)} / 100`,
    },
    {
      name: "Smallest difference worth having",
      hint: `${many} per 100 visitors. The sample size was planned to find a difference of this size.`,
      value: `${(r.worth * 100).toFixed(2)} / 100`,
    },
    ...r.against.flatMap((a) =>
      a.called == null || a.called_unbiased == null
        ? []
        : [
            {
              name: `${a.letter} − A when first decided`,
              hint: `${many} per 100 visitors. A test that stops on a good day measures too much: beside the measured difference stands the median-unbiased one.`,
              value: `${signed(a.called * 100)}, corrected ${signed(a.called_unbiased * 100)}`,
            },
          ],
    ),
    {
      name: "Last read",
      hint: "The test is read at each midnight of the site.",
      value: r.against[0]?.looked_on ? `end of ${day(r.against[0].looked_on)}` : "not yet: too few conversions",
    },
  ];
}

function soundness(r: Result): Fact[] {
  const both = (low: number | null, high: number | null) =>
    `${signed((low ?? 0) * 100)} to ${signed((high ?? 0) * 100)}`;
  return [
    {
      name: "Visitors (planned)",
      hint: "The sample size so far, and the one that was planned.",
      value: `${count(r.visitors)} of ${count(r.needed)}`,
    },
    {
      name: r.held ? "Split as planned, holdout last (SRM)" : "Split as planned (SRM)",
      hint: "Sample ratio mismatch: whether visitors arrived in the planned shares. The p-value holds however often you look.",
      value: (
        <span className={r.split_broken ? "font-semibold text-brick" : undefined}>
          {r.split_broken ? "no, " : "yes, "}
          {shares(lot(r))}, p {pValue(r.split_p)}
        </span>
      ),
    },
    ...r.against.map((a) => ({
      name: `p-value, ${a.letter} against A`,
      hint: "For a single look at the end only. The range on the left is right at every look.",
      value: pValue(a.p_value),
    })),
    ...r.against.flatMap((a) =>
      a.adjusted.low == null || a.saved == null
        ? []
        : [
            {
              name: `${a.letter} − A / 100, same mix of visitors`,
              hint: `Both variants weighted to the same devices, earlier visits and earlier conversions. It decides nothing${a.saved < 0.005 ? "." : ` and saves ${percent(a.saved, 0)} of the visitors.`}`,
              value: both(a.adjusted.low, a.adjusted.high),
            },
          ],
    ),
  ];
}

function money(r: Result): Fact[] {
  return r.against.flatMap((a) =>
    a.value_bootstrap.low == null
      ? []
      : [
          {
            name: `${a.letter} − A, single look`,
            hint: "Welch’s confidence interval of the difference in revenue per visitor, for one look at the end.",
            value: range(a.value_difference),
          },
          {
            name: "by bootstrap",
            hint: "The same difference by the BCa bootstrap, for order values with heavy tails.",
            value: range(a.value_bootstrap),
          },
          {
            name: "top 1 % winsorised",
            hint: "The same with the largest 1 % of values, at least one, cut to one limit: if it says something else, a few orders decide.",
            value: range(a.value_winsorised),
          },
        ],
  );
}

/** How the visitors came to lie, in per cent; the holdout last. */
function lot(r: Result) {
  const each = [...r.arms.map((a) => a.visitors), ...(r.held ? [r.held.visitors] : [])];
  const all = Math.max(
    1,
    each.reduce((a, b) => a + b, 0),
  );
  return each.map((n) => (n / all) * 100);
}

const range = (i: Schemas["IntervalOut"]) =>
  i.low == null || i.high == null ? "–" : `${signed(i.low)} to ${signed(i.high)}`;

/** How far they got: a bar for each step, what lies between, and where the others went. */
import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import { Scroll } from "../../components/Scroll";
import { TextButton } from "../../components/ui";
import { count, per100, percent } from "../../lib/format";
import type { Report } from "./model";

type StepOut = Report["steps"][number];
type Interval = NonNullable<StepOut["rate"]>;

/** "Between 39.7 and 42.4 of 100". */
export const between = (i: Interval | null) =>
  i?.low == null || i.high == null ? "" : `between ${per100(i.low)} and ${per100(i.high)} of 100`;

export function duration(seconds: number): string {
  if (seconds < 1) return "1 s";
  if (seconds < 100) return `${Math.round(seconds)} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  if (seconds < 129_600) return `${Math.round(seconds / 3600)} h`;
  return `${Math.round(seconds / 86_400)} days`;
}

interface Props {
  report: Report;
  /** What the other lens is called, where there is one. */
  other?: string;
  /** Makes an audience of who left at a step (from 1 on). */
  keep?: (step: number) => void;
  openPage: (path: string) => ReactNode;
}

export function Walk({ report, other, keep, openPage }: Props) {
  const first = report.steps[0]?.reached || 1;
  return (
    <div>
      <div className="hidden grid-cols-[28px_190px_minmax(0,1fr)_80px_270px] gap-x-3 text-small text-quiet lg:grid">
        <span />
        <span>step</span>
        <span />
        <span className="text-right">{report.unit}</span>
        <span className="pl-3">where they went instead</span>
      </div>
      <ol>
        {report.steps.map((step, place) => {
          const next = report.steps[place + 1];
          const difference = report.differences[place];
          const there = report.against?.steps[place];
          return (
            <li
              // biome-ignore lint/suspicious/noArrayIndexKey: a step has no identity but its place.
              key={place}
              className="grid grid-cols-[20px_minmax(0,1fr)_auto] gap-x-3 py-2 lg:grid-cols-[28px_190px_minmax(0,1fr)_80px_270px]"
            >
              <span className="num col-start-1 row-start-1 text-quiet">{place + 1}</span>
              <span className="col-start-2 row-start-1 break-words">{step.says}</span>
              <div className="col-span-3 row-start-2 min-w-0 lg:col-span-1 lg:col-start-3 lg:row-start-1">
                <div aria-hidden className="h-6 bg-plum/85" style={{ width: `${(100 * step.reached) / first}%` }} />
                {there && (
                  <div
                    aria-hidden
                    className="mt-0.5 h-2 bg-line"
                    style={{
                      width: `${(100 * there.reached) / (report.against?.steps[0]?.reached || 1)}%`,
                    }}
                  />
                )}
                {next && (
                  <div className="mt-1 border-l border-dashed pb-2 pl-3 text-small text-quiet">
                    <p>
                      <strong className="num text-ink">{next.rate ? percent(next.rate.estimate, 1) : "–"}</strong> went
                      on
                      {next.rate ? `, ${between(next.rate)}` : ""}
                      {next.seconds != null && `; half within ${duration(next.seconds)}`}
                    </p>
                    {difference && other && <Difference of={difference} other={other} />}
                    <p>
                      {count(step.left)} left here
                      {keep && step.left > 0 && (
                        <>
                          {" · "}
                          <TextButton onClick={() => keep(place + 1)}>
                            make them an audience<span className="sr-only"> who left after step {place + 1}</span>
                          </TextButton>
                        </>
                      )}
                    </p>
                  </div>
                )}
              </div>
              <span className="num col-start-3 row-start-1 text-right font-semibold lg:col-start-4">
                {count(step.reached)}
              </span>
              <Instead step={step} openPage={openPage} />
            </li>
          );
        })}
      </ol>
    </div>
  );
}

function Instead({ step, openPage }: { step: StepOut; openPage: Props["openPage"] }) {
  if (!step.left) return null;
  const most = Math.max(...step.instead.map((i) => i.count), 1);
  return (
    <ul
      className="col-span-3 row-start-3 text-small lg:col-span-1 lg:col-start-5 lg:row-start-1 lg:pl-3"
      aria-label="Where they went instead"
    >
      {step.instead.map((i) => (
        <li key={i.path ?? ""} className="grid grid-cols-[minmax(0,1fr)_48px_84px] items-center gap-2">
          <span className="truncate">{i.path == null ? "left the site" : openPage(i.path)}</span>
          <span className="num text-right">{count(i.count)}</span>
          <span aria-hidden className="h-2 bg-quiet/60" style={{ width: `${(84 * i.count) / most}px` }} />
        </li>
      ))}
      {step.elsewhere > 0 && <li className="text-quiet">{count(step.elsewhere)} to other pages</li>}
    </ul>
  );
}

function Difference({ of, other }: { of: Report["differences"][number]; other: string }) {
  const d = of.difference;
  if (d?.low == null || d.high == null || d.estimate == null) return <p>{other}: too few to compare.</p>;
  const sure = of.p_value != null && of.p_value < 0.05;
  const points = (n: number) => `${n < 0 ? "−" : "+"}${per100(Math.abs(n))}`;
  return (
    <p className={sure ? (d.estimate < 0 ? "text-brick" : "text-fern") : ""}>
      {points(d.low)} to {points(d.high)} of 100 against {other}
      {sure ? "" : ", not beyond chance"}
    </p>
  );
}

/** Visits that are alike in one thing, side by side. */
export function Groups({ report, by }: { report: Report; by: string }) {
  if (!report.groups.length) return null;
  return (
    <Scroll label={`By ${by}`}>
      <table className="bench">
        <caption className="sr-only">By {by}</caption>
        <thead>
          <tr>
            <th className="text">{by}</th>
            {report.steps.map((s, place) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a step has no identity but its place.
              <th key={place}>{s.says}</th>
            ))}
            <th>all the way</th>
            <th>between</th>
          </tr>
        </thead>
        <tbody>
          {report.groups.map((g) => (
            <tr key={g.name}>
              <td className="text">{g.name}</td>
              {g.reached.map((n, place) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a step has no identity but its place.
                <td key={place}>{count(n)}</td>
              ))}
              <td className="font-semibold">{percent(g.whole?.estimate, 1)}</td>
              <td className="text-quiet">
                {g.whole?.low == null || g.whole.high == null ? "–" : `${per100(g.whole.low)}–${per100(g.whole.high)}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}

/** The one sentence, where two paths are held against each other. */
export function TwoPaths({ report, other }: { report: Report; other: string }) {
  const d = report.whole_difference?.difference;
  const [here, there] = [report.whole, report.against?.whole];
  if (!d || d.low == null || d.high == null || !here || !there)
    return (
      <p className="font-head text-say leading-tight font-semibold">Nobody came to the first step of one of them.</p>
    );
  const sure = d.low > 0 || d.high < 0;
  const [low, high] = d.high < 0 ? [-d.high, -d.low] : [d.low, d.high];
  return (
    <div>
      <p className="font-head text-say leading-tight font-semibold">
        {sure ? (
          <>
            <span className={d.low > 0 ? "text-fern" : "text-brick"}>
              {per100(low)} to {per100(high)} {d.low > 0 ? "more" : "fewer"} of 100
            </span>{" "}
            go all of this way than of “{other}”.
          </>
        ) : (
          <>
            The two do not differ clearly: of 100 visits, as many complete this path as “{other}”, give or take chance.
          </>
        )}
      </p>
      <p className="text-quiet">
        {percent(here.estimate, 1)} ({between(here)}) against {percent(there.estimate, 1)} ({between(there)}), of those
        at the first step of each. Who takes both ways is in both numbers.
      </p>
    </div>
  );
}

/** The one sentence that matters. */
export function Headline({ report, here, other }: { report: Report; here: string; other?: string }) {
  const { steps, whole } = report;
  const [first] = steps;
  if (!first?.reached)
    return <p className="font-head text-say leading-tight font-semibold">Nobody came to the first step.</p>;
  if (other) {
    const sure = report.differences
      .map((d, place) => ({ ...d, place }))
      .filter((d) => d.p_value != null && d.p_value < 0.05 && d.difference?.estimate != null)
      .sort((a, b) => Math.abs(b.difference?.estimate ?? 0) - Math.abs(a.difference?.estimate ?? 0));
    const [most] = sure;
    if (!most?.difference || most.difference.low == null || most.difference.high == null)
      return (
        <p className="font-head text-say leading-tight font-semibold">
          {here} and {other} differ at no step beyond chance.
        </p>
      );
    const worse = (most.difference.estimate ?? 0) < 0;
    const [low, high] = worse
      ? [-most.difference.high, -most.difference.low]
      : [most.difference.low, most.difference.high];
    return (
      <div>
        <p className="font-head text-say leading-tight font-semibold">
          {here} {worse ? "lose" : "keep"}{" "}
          <span className={worse ? "text-brick" : "text-fern"}>
            {per100(low)} to {per100(high)} more of 100
          </span>{" "}
          than {other} after step {most.place + 1}: “{steps[most.place]?.says}”.
        </p>
        <p className="text-quiet">
          {sure.length > 1
            ? `${sure.length} steps differ beyond chance.`
            : "The other steps do not differ beyond chance."}
          {worse &&
            most.more >= 1 &&
            ` At the rate of ${other}, about ${count(Math.round(most.more))} more would have come to the end.`}
        </p>
      </div>
    );
  }
  const lost = steps.reduce((worst, s, i) => (s.left > (steps[worst]?.left ?? 0) ? i : worst), 0);
  return (
    <div>
      <p className="font-head text-say leading-tight font-semibold">
        <span className="text-fern">{percent(whole?.estimate, 1)}</span> go all the way: {count(steps.at(-1)?.reached)}{" "}
        of {count(first.reached)}.
      </p>
      <p className="text-quiet">
        {whole ? `${between(whole).replace("between", "Between")}. ` : ""}
        {steps[lost]?.left
          ? `Most are lost after step ${lost + 1}: ${count(steps[lost]?.left)} of ${count(steps[lost]?.reached)}.`
          : ""}
      </p>
    </div>
  );
}

export function PageLink({ siteId, path }: { siteId: number; path: string }) {
  return (
    <Link
      to="/s/$siteId/pages"
      params={{ siteId: String(siteId) }}
      className="underline decoration-line underline-offset-2 hover:decoration-plum"
    >
      <bdi className="num">{path}</bdi>
    </Link>
  );
}

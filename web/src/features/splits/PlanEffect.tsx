import type { Schemas } from "../../api/client";
import { CopyLine, Empty } from "../../components/ui";
import { count, percent } from "../../lib/format";

interface Props {
  plan?: Schemas["PlanOut"];
  complete: boolean;
  written: { baseline: string; lift: string; what: "address" | "content" };
  problem: Error | null;
}

/** How long the test must run, from the page's own traffic, and what its pages still need. */
export function PlanEffect({ plan, complete, written, problem }: Props) {
  if (!complete)
    return (
      <Empty title="Write both addresses on the left.">
        <p>
          Here you will see how the control does today, and how many visitors and days it takes to find a difference
          worth having.
        </p>
      </Empty>
    );
  if (!plan)
    return (
      <p className="text-quiet">
        {problem ? "Nothing can be planned with this as it stands." : "Reading the page’s traffic …"}
      </p>
    );
  const weeks = plan.days == null ? null : Math.round(plan.days / 7);
  return (
    <section aria-label="What the test takes" className="flex max-w-2xl flex-col gap-4">
      <p className="font-head text-head leading-snug">
        {plan.days == null ? (
          <>{count(plan.daily_total)} visitors are needed, and the control has none yet.</>
        ) : (
          <>
            About{" "}
            <strong>
              {count(plan.days)} days ({weeks} week{weeks === 1 ? "" : "s"})
            </strong>{" "}
            to find a lift of {written.lift} %.
          </>
        )}
      </p>
      {plan.days != null && plan.days > 91 && (
        <p className="border-l-4 border-marigold pl-3">
          That is longer than most offers live. Look for a bigger difference, or test a page that more visitors see.
        </p>
      )}
      <dl className="panel p-3">
        <Fact name="The control in the last 28 days">
          {plan.recorded_visitors
            ? `${count(plan.recorded_converted)} of ${count(plan.recorded_visitors)} visitors converted (${percent(plan.recorded_converted / plan.recorded_visitors)})`
            : "nobody was seen on it"}
        </Fact>
        <Fact name="Visitors a day in the test">{count(Math.round(plan.visitors_per_day))}</Fact>
        <Fact name="Looked at once, at the end, by variant">
          {plan.per_arm.map(count).join(" + ")} = {count(plan.total)}
        </Fact>
        <Fact name="Looked at every day">
          {count(plan.daily_total)} visitors in all ({plan.daily_times.toFixed(2)}×)
        </Fact>
      </dl>
      <p className="text-quiet">
        80 % power at 95 %. Looked at once a day for four weeks, a plain p-value cries wolf in 27 of 100 tests that have
        no difference at all; Clabo’s reading, made anew at each midnight, does in at most 5 (measured:
        docs/evidence.md). So look as often as you like: a clear winner is seen well before the end, a narrow one takes
        all of it.
      </p>
      {plan.dry && <DryRun dry={plan.dry} />}
      {plan.unseen.length > 0 && (
        <p className="border-l-4 border-marigold pl-3">
          No hit has come from <bdi className="num">{plan.unseen.join(", ")}</bdi> yet. The test can start once the tag
          is there and the page has been opened.
        </p>
      )}
      <div>
        <p className="mb-1">
          {written.what === "content" ? "On the page" : "On the control page"}, put this line in the{" "}
          <code className="num">&lt;head&gt;</code> in place of the usual one, so that nobody sees{" "}
          {written.what === "content"
            ? "it as it is before it is changed:"
            : "the control flash by before being sent on:"}
        </p>
        <CopyLine text={plan.hold_line} label="the line for the control page" />
        <p className="mt-1 text-quiet">
          It hides the page until the tag has decided, {plan.hold_ms} ms at most, in every browser; so a visitor whose
          line is slow sees the page that much later. It has inline code: a policy with nonces needs yours on it.
        </p>
        <details className="mt-2">
          <summary className="cursor-pointer">Without inline code</summary>
          <div className="mt-1">
            <CopyLine text={plan.render_line} label="the line without inline code" />
          </div>
          <p className="mt-1 text-quiet">
            Chromium and newer WebKit hold the page back by themselves until the tag has run. Firefox does not: there
            the page is seen for a moment as it is.
          </p>
        </details>
      </div>
    </section>
  );
}

/** The same test as if nothing differed, over and over on the control's own days. */
function DryRun({ dry }: { dry: NonNullable<Schemas["PlanOut"]["dry"]> }) {
  const [width, height] = [520, 90];
  const days = dry.decided.length;
  const x = (day: number) => (day / days) * width;
  const y = (part: number) => height - part * height;
  const line = dry.decided.map((part, day) => `L${x(day + 1).toFixed(1)} ${y(part).toFixed(1)}`).join("");
  const half = dry.decided.findIndex((part) => part >= 0.5);
  return (
    <figure>
      <figcaption className="mb-1">
        <strong>Played over the control’s own days as if nothing differed</strong>, {count(dry.runs)} times:{" "}
        {count(Math.round(dry.alarms * dry.runs))} of them called a difference that is not there
        {half >= 0
          ? `; half had found on day ${half + 1} that there is none worth having.`
          : `; ${percent(dry.decided.at(-1) ?? 0, 0)} had found by the end that there is none worth having.`}
      </figcaption>
      <svg
        viewBox={`-42 -8 ${width + 48} ${height + 30}`}
        role="img"
        aria-label={`Decided by day: ${percent(dry.decided.at(-1) ?? 0, 0)} after ${days} days`}
        className="w-full max-w-xl"
      >
        {[0, 0.5, 1].map((part) => (
          <g key={part}>
            <line x1={0} x2={width} y1={y(part)} y2={y(part)} stroke="var(--color-line)" />
            <text x={-6} y={y(part) + 4} textAnchor="end" fontSize={11} fill="var(--color-quiet)">
              {part * 100} %
            </text>
          </g>
        ))}
        <path d={`M0 ${y(0)}${line}`} fill="none" stroke="var(--color-plum)" strokeWidth={2} />
        <text x={0} y={height + 16} fontSize={11} fill="var(--color-quiet)">
          day 0
        </text>
        <text x={width} y={height + 16} textAnchor="end" fontSize={11} fill="var(--color-quiet)">
          day {days}: decided
        </text>
      </svg>
    </figure>
  );
}

function Fact({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <div className="flex flex-wrap justify-between gap-x-4 border-b py-1.5 last:border-b-0">
      <dt>{name}</dt>
      <dd className="num">{children}</dd>
    </div>
  );
}

/** The way to the first answer, until it has been gone. */
import { Link } from "@tanstack/react-router";
import type { Schemas } from "../../api/client";
import { cx } from "../../components/ui";
import { ago, count } from "../../lib/format";

export function Steps({ siteId, today: t }: { siteId: number; today: Schemas["TodayOut"] }) {
  const steps = [
    {
      to: "pixel",
      what: "Put the tag on your pages",
      done: t.first_at && `the last hit came ${ago(t.last_at)}`,
      why: "One line in the head of every page. Pixel has it to copy, and shows when the first hit comes in.",
    },
    {
      to: "conversions",
      what: "Say what counts as a conversion",
      done: t.rules > 0 && `${count(t.rules)} said`,
      why: "A thank-you page, a form, a click: written against what has been recorded.",
    },
    {
      to: "spend",
      what: "Bring in what the ads cost",
      done: t.has_spend && "costs are known",
      why: "A file from wherever they run. Without it there is no return on ad spend.",
    },
  ] as const;
  if (steps.every((s) => s.done)) return null;
  const next = steps.find((s) => !s.done);
  return (
    <section aria-label="First steps" className="mb-6">
      <h2 className="mb-2 text-title">First steps</h2>
      <ol className="border-t">
        {steps.map((step, i) => (
          <li key={step.to} className="flex items-baseline gap-3 border-b py-2.5">
            <span className={cx("num", step.done ? "text-fern" : "text-quiet")}>{step.done ? "✓" : i + 1}</span>
            <div>
              <p className="text-lead">
                <Link
                  to={`/s/$siteId/${step.to}`}
                  params={{ siteId: String(siteId) }}
                  className={cx("text-plum underline underline-offset-4", step === next && "font-semibold")}
                >
                  {step.what}
                </Link>
                {step.done && <span className="text-quiet">: {step.done}</span>}
              </p>
              {!step.done && <p className="text-small text-quiet">{step.why}</p>}
            </div>
          </li>
        ))}
      </ol>
    </section>
  );
}

/** What is wrong with a plan, one sentence each, with what can be done about it at once; and what is right. */
import type { Schemas } from "../../api/client";
import { cx, TextButton } from "../../components/ui";
import { money } from "../../lib/format";
import { capWords, type PlanForm } from "./model";
import type { Effect } from "./queries";

type Finding = Schemas["PlanFindingOut"];

interface Props {
  effect: Effect;
  audiences: Schemas["AudienceOut"][];
  currency: string;
  form: PlanForm;
  change: (part: Partial<PlanForm>) => void;
}

const EDGES = { stops: "border-brick", doubt: "border-marigold", fine: "border-fern" };
const SAID = { stops: "Stops it: ", doubt: "To be looked at: ", fine: "Fine: " };

export function Before(props: Props) {
  const { findings } = props.effect;
  if (!findings.length) return null;
  return (
    <section aria-label="Before it starts">
      <h2 className="mb-2 text-lead">Before it starts</h2>
      <ul className="flex flex-col gap-2.5">
        {findings.map((f) => (
          <li key={f.says} className={cx("border-l-4 pl-3", EDGES[f.weight])}>
            <span className="sr-only">{SAID[f.weight]}</span>
            <strong className="font-semibold">{f.says}</strong>{" "}
            <span className="block text-small text-quiet">
              {f.because} <Remedy finding={f} {...props} />
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Remedy({ finding, audiences, currency, form, change }: Props & { finding: Finding }) {
  const on = finding.on;
  if (on == null) return null;
  if (finding.remedy === "leave_out") {
    const name = audiences.find((a) => a.id === on)?.name;
    return (
      <TextButton onClick={() => change({ leftOut: [...form.leftOut, on] })}>
        Leave out {name ? `“${name}”` : "them"}
      </TextButton>
    );
  }
  if (finding.remedy === "cap")
    return <TextButton onClick={() => change({ cap: on })}>At most {capWords(on)}</TextButton>;
  if (finding.remedy === "budget")
    return (
      <TextButton onClick={() => change({ dailyBudget: String(on) })}>
        Make it {money(on, currency, Number.isInteger(on) ? 0 : 2)} a day
      </TextButton>
    );
  if (finding.remedy === "highest_click")
    return (
      <TextButton onClick={() => change({ highestClick: on.toFixed(2) })}>Bid up to {money(on, currency)}</TextButton>
    );
  return null;
}

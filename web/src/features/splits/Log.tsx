/** What was done with a test, by whom and when; and what was noted. */
import type { Schemas } from "../../api/client";
import { hour } from "../../lib/format";

const DEEDS: Record<Schemas["DeedOut"]["what"], string> = {
  made: "created",
  changed: "changed",
  started: "started",
  paused: "paused",
  resumed: "resumed",
  ended: "ended",
  ended_on_date: "ended on its end date",
  ended_decided: "ended because it was decided",
  ended_on_harm: "ended because a challenger was worse",
  adopted: "adopted",
  handed_over: "handed over to the page",
  archived: "archived",
  brought_back: "restored",
  noted: "name, notes or end changed",
};

export function Log({ r }: { r: Schemas["ResultOut"] }) {
  return (
    <section aria-label="Notes and log" className="mt-6 grid gap-6 md:grid-cols-2">
      <div>
        <h2 className="mb-1 font-semibold">Notes</h2>
        {r.test.notes ? (
          <p className="whitespace-pre-wrap break-words">{r.test.notes}</p>
        ) : (
          <p className="text-quiet">None yet. What was learnt is found again by the search in the list.</p>
        )}
      </div>
      <div>
        <h2 className="mb-1 font-semibold">Log</h2>
        <ol>
          {r.log.map((d) => (
            <li
              key={`${d.at}${d.what}`}
              className="flex flex-wrap justify-between gap-x-4 border-b py-1 last:border-b-0"
            >
              <span>
                {DEEDS[d.what]} <span className="text-quiet">by {d.by ? <bdi>{d.by}</bdi> : "Clabo"}</span>
              </span>
              <span className="num text-quiet">{hour(d.at)}</span>
            </li>
          ))}
        </ol>
      </div>
    </section>
  );
}

import type { Schemas } from "../../api/client";
import { DayBars } from "../../charts/DayBars";
import { count } from "../../parts/format";
import { PageName } from "../../parts/PageName";
import { Scroll } from "../../parts/Scroll";
import { cx, Empty, Select } from "../../parts/ui";

type Preview = Schemas["PreviewOut"];
type Caught = Schemas["CaughtPage"];

interface Props {
  written: boolean;
  preview?: Preview;
  days: number;
  setDays: (days: number) => void;
  /** Use this address instead. */
  pick: (path: string) => void;
}

/** What the rule catches among the recorded addresses, and what it nearly does. */
export function Effect({ written, preview, days, setDays, pick }: Props) {
  if (!written)
    return (
      <Empty title="Write an address on the left.">
        <p>
          Here you will see which recorded pages it catches, how often, and which it only nearly catches, before
          anything is saved.
        </p>
      </Empty>
    );
  if (!preview) return <p className="text-quiet">Nothing can be shown for this rule as it stands.</p>;
  return (
    <section aria-label="What the rule catches" className="min-w-0">
      <div className="flex flex-wrap items-baseline justify-between gap-3">
        <p className="text-[16px]" aria-live="polite">
          <strong>
            {count(preview.conversions)} conversion{preview.conversions === 1 ? "" : "s"}
          </strong>{" "}
          from {count(preview.events)} matching view{preview.events === 1 ? "" : "s"} in the last
          <Select
            aria-label="Days to look back"
            className="mx-1.5 inline-block w-auto! py-0.5"
            value={days}
            onChange={(e) => setDays(Number(e.target.value))}
          >
            {[7, 28, 90, 180].map((d) => (
              <option key={d} value={d}>
                {d}
              </option>
            ))}
          </Select>
          days
        </p>
      </div>
      <div className="panel mt-2 p-3">
        <DayBars values={preview.per_day} first={preview.first_day} height={64} />
      </div>
      <h2 className="mt-5 mb-2 text-[15px]">
        Addresses it catches <span className="num text-quiet">{count(preview.caught_pages)}</span>
      </h2>
      {preview.caught.length ? (
        <Addresses rows={preview.caught} />
      ) : (
        <p className="text-quiet">None that was ever recorded. If nobody has been there yet, open the page once.</p>
      )}
      {preview.near.length > 0 && (
        <>
          <h2 className="mt-5 mb-2 text-[15px]">Nearly, but not caught</h2>
          <Addresses rows={preview.near} pick={pick} />
        </>
      )}
    </section>
  );
}

function Addresses({ rows, pick }: { rows: Caught[]; pick?: (path: string) => void }) {
  return (
    <Scroll label={pick ? "Addresses nearly caught" : "Addresses caught"}>
      <table className="bench">
        <thead>
          <tr>
            <th className="text">Page</th>
            <th>Views</th>
            <th>
              Visits that
              <br />
              began there
            </th>
            <th className="text">{pick ? <span className="sr-only">Use it</span> : "Looks like"}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => {
            const often = r.views > 0 && r.entries / r.views > 0.3;
            return (
              <tr key={r.host + r.path}>
                <td className="text max-w-[26rem]">
                  <PageName path={r.path} title={r.title} />
                </td>
                <td className="num">{count(r.views)}</td>
                <td className={cx("num", !pick && often && "font-semibold text-marigold")}>{count(r.entries)}</td>
                <td className="text">
                  {pick ? (
                    <button type="button" className="text-plum underline" onClick={() => pick(r.path)}>
                      Count this one instead
                    </button>
                  ) : r.views === 0 ? (
                    <span className="text-quiet">not viewed in these days</span>
                  ) : often ? (
                    <span className="font-medium text-marigold">people land here: an article?</span>
                  ) : (
                    <span className="text-quiet">reached from other pages</span>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </Scroll>
  );
}

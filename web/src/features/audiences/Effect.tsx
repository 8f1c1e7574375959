/** Beside the definition: what another length would give, how it has grown, what else these people are in. */
import { Link } from "@tanstack/react-router";
import type { Schemas } from "../../api/client";
import { DayBars } from "../../charts/DayBars";
import { LengthCurve } from "../../charts/LengthCurve";
import { Pictured } from "../../charts/Pictured";
import { Table } from "../../components/Table";
import { count, percent } from "../../lib/format";

interface Props {
  siteId: number;
  preview: Schemas["AudiencePreviewOut"];
  growth: Schemas["GrowthOut"] | undefined;
  /** Give what the curve varies another length. */
  lengthen?: (days: number) => void;
}

export function Effect({ siteId, preview, growth, lengthen }: Props) {
  const { curve, length, varied, length_says, overlaps, people } = preview;
  const shared = overlaps.filter((o) => o.both > 0);
  return (
    <aside className="flex min-w-0 flex-col gap-5">
      {length !== null && curve.length > 1 && (
        <section className="panel p-3">
          <h2 className="text-lead">How many, if the {length === 1 ? "day were" : `${length} days were`} …</h2>
          <p className="text-small text-quiet">Of “{varied}”. A click on the curve takes that length.</p>
          <Pictured name="length">
            <LengthCurve points={curve} chosen={length} choose={lengthen} />
          </Pictured>
          <p className="text-small">{length_says}</p>
        </section>
      )}
      <section className="panel p-3">
        <h2 className="text-lead">At the end of each day</h2>
        {growth ? (
          <>
            <Pictured name="growth">
              <DayBars values={growth.days.map((d) => d.people)} first={growth.first_day} height={64} />
            </Pictured>
            <p className="mt-1 text-small text-quiet">
              {growth.outlook
                ? `In a week ${count(Math.round(growth.outlook.low))} to ${count(Math.round(growth.outlook.high))} if it goes on like the last four (95 %).`
                : "Too few days to say what to expect."}
            </p>
          </>
        ) : (
          <p role="status" className="py-4 text-quiet">
            Counting 90 days …
          </p>
        )}
      </section>
      <section>
        <h2 className="text-lead">Also in</h2>
        {shared.length ? (
          <Table
            dense
            caption="Other audiences of these people"
            rows={shared.slice(0, 8)}
            rowKey={(o) => o.audience}
            columns={[
              {
                key: "name",
                head: "Audience",
                text: true,
                className: "whitespace-normal!",
                cell: (o) => (
                  <Link
                    to="/s/$siteId/audiences/$audienceId"
                    params={{ siteId: String(siteId), audienceId: String(o.audience) }}
                    className="underline decoration-line underline-offset-4 hover:decoration-plum"
                  >
                    {o.name}
                    {o.nearly_one && <span className="ml-2 text-marigold">nearly one</span>}
                  </Link>
                ),
              },
              { key: "both", head: "In both", cell: (o) => <span className="num">{count(o.both)}</span> },
              {
                key: "these",
                head: "Of these",
                cell: (o) => <span className="num">{percent(o.both / people, 0)}</span>,
              },
              {
                key: "those",
                head: "Of those",
                cell: (o) => <span className="num">{percent(o.both / o.people, 0)}</span>,
              },
            ]}
          />
        ) : (
          <p className="text-small text-quiet">Nobody of these is in another audience.</p>
        )}
      </section>
    </aside>
  );
}

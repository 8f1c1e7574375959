/** What was answered to proposals, and what came of what was done. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";
import { TextButton } from "../../components/ui";
import { day, dayOf, money } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { decisionsQuery } from "./queries";

type Decision = Schemas["DecisionOut"];

export function Answered({ siteId, currency }: { siteId: number; currency: string }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const found = useQuery(decisionsQuery(siteId));
  const back = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/decisions/{decision_id}", {
          params: { path: { site_id: siteId, decision_id: id } },
        }),
      ),
    onSettled: () => makeStale(queries, siteId, "today", "decisions"),
  });
  if (!found.data?.length) return null;
  return (
    <section aria-label="Answered" className="mb-6">
      <h2 className="mb-2 text-title">Answered</h2>
      <ul className="border-t">
        {found.data.map((d) => (
          <li key={d.id} className="flex flex-wrap items-baseline justify-between gap-x-5 border-b py-2 sm:flex-nowrap">
            <div>
              <p>
                <bdi>{d.about}</bdi>: <strong>{said(d)}</strong>
                {d.reason && <bdi>, {d.reason}</bdi>}
              </p>
              <p className="text-small text-quiet">
                {day(dayOf(new Date(d.made_at)))}
                {d.by && <>, {d.by}</>}
                {d.answer === "done" &&
                  !d.came.length &&
                  !d.about.includes("split test") &&
                  ". What came of it can be seen from tomorrow on."}
              </p>
              {d.came.map((c) => (
                <p key={`${c.path} ${c.source}`} className="text-small">
                  <bdi className="num">{c.path}</bdi>
                  {c.source && <> by {c.source}</>}: {perDay(c.spend_since, currency)} spent,{" "}
                  {made(c.profit_since, currency)} a day since ({c.days} {c.days === 1 ? "day" : "days"});{" "}
                  {perDay(c.spend_before, currency)} spent and {made(c.profit_before, currency)} a day in the four weeks
                  before.
                </p>
              ))}
              {d.said && d.came.length > 0 && (
                <p className="text-small">
                  Expected: {money(d.said.estimate, currency)} more a day ({money(d.said.low, currency)} to{" "}
                  {money(d.said.high, currency)}). Since then, both together: {change(d, currency)} a day.
                </p>
              )}
            </div>
            {site.canEdit && (
              <TextButton onClick={() => back.mutate(d.id)} aria-label={`Undo: ${d.about}`}>
                Undo
              </TextButton>
            )}
          </li>
        ))}
      </ul>
      {found.data.some((d) => d.came.length > 0) && (
        <p className="mt-1 text-small text-quiet">
          Before against since is no split test: other things have changed too, and the last days’ conversions are not
          all in.
        </p>
      )}
    </section>
  );
}

function said(d: Decision) {
  if (d.answer === "done") return "done";
  return d.answer === "later" ? `put off until ${day(d.until)}` : "dismissed";
}

function change(d: Decision, currency: string) {
  const more = d.came.reduce((sum, c) => sum + Number(c.profit_since) - Number(c.profit_before), 0);
  return `${money(Math.abs(more), currency)} ${more < 0 ? "less" : "more"}`;
}

const perDay = (amount: string, currency: string) => money(amount, currency);
const made = (amount: string, currency: string) =>
  Number(amount) < 0 ? `${money(Math.abs(Number(amount)), currency)} lost` : `${money(amount, currency)} earned`;

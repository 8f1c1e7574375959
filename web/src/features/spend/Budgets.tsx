/** Monthly budgets: what is spent of each so far, and what the month should come to. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { SpreadBar } from "../../charts/SpreadBar";
import { scaleEnd } from "../../charts/scale";
import { Chosen, Form, Unplaced, useServerForm, Written } from "../../components/form";
import { ListTable } from "../../components/ListTable";
import { Button, Empty, Failed, Loading, TextButton } from "../../components/ui";
import { day, money } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { z } from "../../lib/zod";
import { budgetName, paceWords } from "./budget";
import { budgetsQuery } from "./queries";

type Budget = Schemas["BudgetOut"];
const SEPARATOR = "\n";
/** Up to cents; with either mark, for which it is can only be the decimals'. */
const amount = z
  .string()
  .check(
    z.trim(),
    z.regex(
      /^\d{1,10}([.,]\d{1,2})?$/,
      "Write the amount as a number without separators, for example 1200 or 1200.50.",
    ),
  );
const plain = (written: string) => written.replace(",", ".");
const schema = z.object({ source: z.string(), amount });
const LISTS = ["budgets", "today"];

export function Budgets({ siteId }: { siteId: number }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const budgets = useQuery(budgetsQuery(siteId));
  const [changing, setChanging] = useState<number>();
  const remove = useMutation({
    mutationFn: (b: Budget) =>
      data(
        client.DELETE("/api/sites/{site_id}/budgets/{budget_id}", {
          params: { path: { site_id: siteId, budget_id: b.id } },
        }),
      ),
    onSuccess: (_, b) =>
      offerUndo(queries, {
        siteId,
        kind: "budget",
        id: b.id,
        says: `The budget of ${budgetName(b)} is deleted.`,
        lists: LISTS,
      }),
    onError: (error) => toast.error(error.message),
    onSettled: () => makeStale(queries, siteId, ...LISTS),
  });
  if (budgets.isPending) return <Loading what="the budgets" />;
  if (budgets.isError)
    return (
      <div className="mt-4">
        <Failed error={budgets.error} retry={budgets.refetch} />
      </div>
    );
  const { budgets: rows, choices } = budgets.data;
  // Each bar is of its own budget, so that all have the same mark.
  const share = (b: Budget, amount: number | null | undefined) => (amount == null ? null : amount / Number(b.amount));
  const end = Math.min(2, scaleEnd([1.2, ...rows.map((b) => share(b, b.expected?.high))]));
  return (
    <div className="mt-4 flex flex-col gap-6">
      {rows.length ? (
        <ListTable<Budget>
          of="budgets"
          rows={rows}
          rowKey={(b) => b.id}
          says={(b) => `${b.source}\n${b.campaign}`}
          columns={[
            {
              key: "of",
              head: "Spend of",
              text: true,
              order: budgetName,
              className: "whitespace-normal! break-words",
              cell: (b) => <bdi className="font-medium">{budgetName(b)}</bdi>,
            },
            {
              key: "amount",
              head: "Budget a month",
              order: (b) => Number(b.amount),
              className: "num",
              cell: (b) =>
                changing === b.id ? (
                  <Amount siteId={siteId} budget={b} done={() => setChanging(undefined)} />
                ) : (
                  money(b.amount, site.currency, 0)
                ),
            },
            {
              key: "spent",
              head: "Spent this month",
              order: (b) => Number(b.spent),
              className: "num",
              hint: "Up to the last day whose spend is known.",
              cell: (b) => (
                <>
                  {money(b.spent, site.currency, 0)}
                  {b.through && <span className="block text-mark text-quiet">up to {day(b.through)}</span>}
                </>
              ),
            },
            {
              key: "expected",
              head: "Expected by the end",
              order: (b) => b.expected?.estimate,
              className: "num",
              hint: "With the range in which nine of ten such months end. The dashed line is the budget.",
              cell: (b) =>
                b.expected ? (
                  <>
                    {money(b.expected.estimate, site.currency, 0)}{" "}
                    <SpreadBar
                      low={share(b, b.expected.low)}
                      estimate={share(b, b.expected.estimate)}
                      high={share(b, b.expected.high)}
                      scale={{ low: 0, high: end, log: false, mark: 1 }}
                      tone={b.says === "over" ? "brick" : "ink"}
                      label={`${money(b.expected.low, site.currency, 0)} to ${money(b.expected.high, site.currency, 0)}`}
                    />
                    <span className="block text-mark text-quiet">
                      {money(b.expected.low, site.currency, 0)} to {money(b.expected.high, site.currency, 0)}
                    </span>
                  </>
                ) : (
                  "–"
                ),
            },
            {
              key: "says",
              head: "Pace",
              text: true,
              order: (b) => b.sure_over,
              className: "whitespace-normal! min-w-56",
              cell: (b) => (
                <span className={b.says === "over" ? "text-brick" : undefined}>{paceWords(b, site.currency)}</span>
              ),
            },
            ...(site.canEdit
              ? [
                  {
                    key: "do",
                    head: <span className="sr-only">Actions</span>,
                    cell: (b: Budget) => (
                      <span className="flex justify-end gap-3">
                        <TextButton
                          onClick={() => setChanging(b.id)}
                          aria-label={`Edit the budget of ${budgetName(b)}`}
                        >
                          Edit
                        </TextButton>
                        <TextButton
                          onClick={() => remove.mutate(b)}
                          aria-label={`Delete the budget of ${budgetName(b)}`}
                        >
                          Delete
                        </TextButton>
                      </span>
                    ),
                  },
                ]
              : []),
          ]}
        />
      ) : (
        <Empty title="No budget is set.">
          <p>
            Set what a month may cost, in all, for a source or for a campaign. Clabo says when the month will end above
            it, or well below.
          </p>
        </Empty>
      )}
      {site.canEdit && <NewBudget siteId={siteId} choices={choices} currency={site.currency} />}
    </div>
  );
}

function NewBudget({ siteId, choices, currency }: { siteId: number; choices: string[][]; currency: string }) {
  const queries = useQueryClient();
  const form = useServerForm({
    schema,
    values: { source: "", amount: "" },
    resets: true,
    send: ({ source: chosen, amount }) => {
      const [source = "", campaign = ""] = chosen.split(SEPARATOR);
      return data(
        client.POST("/api/sites/{site_id}/budgets", {
          params: { path: { site_id: siteId } },
          body: { source, campaign, amount: plain(amount) },
        }),
      );
    },
    done: () => makeStale(queries, siteId, ...LISTS),
  });
  const sources = Array.from(new Set(choices.map(([source]) => source)));
  return (
    <section aria-labelledby="new-budget" className="max-w-xl">
      <h2 id="new-budget" className="text-title">
        New budget
      </h2>
      <Form form={form} className="mt-2 flex flex-col gap-3">
        <Chosen form={form} name="source" label="Spend of">
          <option value="">all sources</option>
          {sources.map((source) => (
            <optgroup key={source} label={source}>
              <option value={source}>{source}, all campaigns</option>
              {choices
                .filter(([of, campaign]) => of === source && campaign)
                .map(([, campaign]) => (
                  <option key={campaign} value={source + SEPARATOR + campaign}>
                    {source} / {campaign}
                  </option>
                ))}
            </optgroup>
          ))}
        </Chosen>
        <Written form={form} name="amount" label={`Budget a month, ${currency}`} inputMode="decimal" />
        <Unplaced form={form} />
        <div>
          <Button type="submit" kind="main" disabled={form.pending}>
            {form.pending ? "Setting the budget …" : "Set budget"}
          </Button>
        </div>
      </Form>
    </section>
  );
}

function Amount({ siteId, budget, done }: { siteId: number; budget: Budget; done: () => void }) {
  const queries = useQueryClient();
  const form = useServerForm({
    schema: z.object({ amount }),
    values: { amount: String(Number(budget.amount)) },
    send: ({ amount }) =>
      data(
        client.PUT("/api/sites/{site_id}/budgets/{budget_id}", {
          params: { path: { site_id: siteId, budget_id: budget.id } },
          body: { amount: plain(amount) },
        }),
      ),
    done: () => {
      makeStale(queries, siteId, ...LISTS);
      done();
    },
  });
  return (
    <Form form={form} className="flex flex-col gap-2">
      <Written form={form} name="amount" label="Budget a month" inputMode="decimal" className="w-28" />
      <span className="flex gap-3">
        <TextButton type="submit" disabled={form.pending}>
          Save
        </TextButton>
        <TextButton type="button" onClick={done}>
          Cancel
        </TextButton>
      </span>
    </Form>
  );
}

/** What a budget is called, and how its month stands, in words. */
import type { Schemas } from "../../api/client";
import { day, money, percent } from "../../lib/format";

type Budget = Schemas["BudgetOut"];

export const budgetName = ({ source, campaign }: Pick<Budget, "source" | "campaign">) =>
  [source, campaign].filter(Boolean).join(" / ") || "all sources";

export function paceWords(b: Budget, currency: string): string {
  const left = (amount: number) => money(Math.abs(amount), currency, 0);
  const difference = (b.expected?.estimate ?? Number(b.spent)) - Number(b.amount);
  if (b.says === "stale") return `No spend is known since ${day(b.through)}. Import the latest file.`;
  if (b.says === "too_early") return "Too early to say: two weeks of spend are needed.";
  if (b.says === "over")
    return Number(b.spent) > Number(b.amount)
      ? `Over since ${day(b.over_on)}; about ${left(difference)} over by the end of the month.`
      : `About ${left(difference)} over by the end of the month; spent by ${day(b.over_on)} at this pace.`;
  if (b.says === "short") return `About ${left(difference)} will be left at this pace.`;
  return b.sure_over > 0.5
    ? `Within reach of the budget; ${percent(b.sure_over, 0)} likely to end over.`
    : `On pace; ${percent(b.sure_over, 0)} likely to end over.`;
}

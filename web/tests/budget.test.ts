import { describe, expect, it } from "vitest";
import { budgetName, paceWords } from "../src/features/spend/budget";

const budget = {
  ...{ id: 1, source: "meadow", campaign: "", amount: "500.00", spent: "400.00", through: "2026-11-20" },
  ...{ expected: { low: 550, estimate: 600, high: 660 }, sure_over: 0.99, over_on: "2026-11-26" },
  says: "over" as const,
};

describe("a budget", () => {
  it("is named by what it is of", () => {
    expect(budgetName({ source: "", campaign: "" })).toBe("all sources");
    expect(budgetName({ source: "meadow", campaign: "autumn" })).toBe("meadow / autumn");
  });

  it("says what will be over or left, and when", () => {
    expect(paceWords(budget, "EUR")).toBe("About €100 over by the end of the month; spent by 26 Nov at this pace.");
    expect(paceWords({ ...budget, spent: "510" }, "EUR")).toContain("Over since 26 Nov; about €100 over");
    expect(paceWords({ ...budget, says: "short", expected: { low: 1, estimate: 200, high: 3 } }, "EUR")).toBe(
      "About €300 will be left at this pace.",
    );
    expect(paceWords({ ...budget, says: "stale" }, "EUR")).toContain("since 20 Nov");
  });
});

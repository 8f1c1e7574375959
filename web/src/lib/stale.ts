/** Lists of one site that a change has made stale; keys are `[list, siteId, …]` everywhere. */
import type { QueryClient } from "@tanstack/react-query";

export const makeStale = (queries: QueryClient, siteId: number, ...lists: string[]) =>
  Promise.all(lists.map((list) => queries.invalidateQueries({ queryKey: [list, siteId] })));

/** What is computed from visits, money and settings. */
export const REPORTS = ["pages", "lens", "goal", "tests", "today", "rail", "spend"];

/** What asks for somebody today: read once for the rail and for the section. */
import { client, data, type Schemas } from "../api/client";

export const todayQuery = (siteId: number) => ({
  queryKey: ["today", siteId],
  queryFn: () => data(client.GET("/api/sites/{site_id}/today", { params: { path: { site_id: siteId } } })),
  staleTime: 60_000,
  refetchInterval: 60_000,
});

/** How many things there are to mend. */
export const toMend = (t: Schemas["TodayOut"]) =>
  t.stopped_total +
  t.twice_total +
  t.quiet.length +
  t.broken.length +
  [t.silent_since, t.late_since, t.set_aside, t.spend_overdue, Number(t.spend_unjoined)].filter(Boolean).length;

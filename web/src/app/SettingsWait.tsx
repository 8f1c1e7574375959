/** Says that changed settings are being applied to what was recorded, and reads everything anew once they are. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { toast } from "sonner";
import type { Schemas } from "../api/client";
import { railQuery } from "../features/today/queries";

const LOOK_AGAIN = 2000;

function named(waiting: Schemas["WaitingSettings"]) {
  const { time_zone, currency, attribution_window_days: days, meaningful_parameters, keep_fragment, hosts } = waiting;
  return [
    time_zone && `time zone ${time_zone}`,
    currency && `currency ${currency}`,
    days && `attribution window of ${days} ${days === 1 ? "day" : "days"}`,
    (meaningful_parameters || keep_fragment != null) && "what makes another page",
    hosts && "hosts",
  ].filter((text): text is string => Boolean(text));
}

export function SettingsWait({ siteId }: { siteId: number }) {
  const queries = useQueryClient();
  const waiting = useQuery({
    ...railQuery(siteId),
    refetchInterval: (query) => (query.state.data?.waiting ? LOOK_AGAIN : false),
  }).data?.waiting;
  const waited = useRef(false);
  useEffect(() => {
    if (waited.current && waiting === null) {
      void queries.invalidateQueries();
      toast("The new settings are applied to everything recorded.");
    }
    waited.current = Boolean(waiting);
  }, [waiting, queries]);
  if (!waiting) return null;
  return (
    <p role="status" className="mb-3 border-l-[3px] border-marigold bg-surface px-3 py-2 text-small">
      New settings are being applied to everything recorded: {new Intl.ListFormat("en").format(named(waiting))}. Until
      this is done, all numbers are those of the old settings.
    </p>
  );
}

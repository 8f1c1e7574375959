import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { TextButton } from "../../components/ui";
import { day, words } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale, REPORTS } from "../../lib/stale";
import { changed } from "../../words/changed";
import { COUNTINGS, type Conversion } from "./model";
import { versionsQuery } from "./queries";

interface Props {
  siteId: number;
  rule: Conversion;
  close: () => void;
}

/** What the rule said before, to read and to take up again. */
export function Versions({ siteId, rule, close }: Props) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const path = { site_id: siteId, rule_id: rule.id };
  const versions = useQuery(versionsQuery(siteId, rule.id, rule.version));
  const restore = useMutation({
    mutationFn: (version: number) =>
      data(
        client.POST("/api/sites/{site_id}/conversions/{rule_id}/versions/{version}/restore", {
          params: { path: { ...path, version } },
        }),
      ),
    onSuccess: async (made) => {
      await makeStale(queries, siteId, "conversions", ...REPORTS);
      toast(`${words(made.name)} reads as before and is being counted back.`);
      close();
    },
    onError: (error) => toast.error(error.message),
  });
  if (!versions.data?.length) return null;
  return (
    <details className="border-t pt-2">
      <summary className="font-medium text-plum">
        {versions.data.length} version{versions.data.length === 1 ? "" : "s"}
      </summary>
      <ul className="mt-2 flex flex-col gap-2">
        {versions.data.map((v) => (
          <li key={v.version}>
            <span className="text-quiet">
              {day(v.made_at)}
              {v.made_by && `, ${v.made_by}`}:
            </span>{" "}
            <bdi className="break-words">{v.sentence}</bdi>, {COUNTINGS[v.content.counting as Conversion["counting"]]}.{" "}
            {changed(v) && <span className="text-quiet">{changed(v)}. </span>}
            {v.version === rule.version ? (
              <span className="font-medium">In force.</span>
            ) : (
              site.canEdit && (
                <TextButton disabled={restore.isPending} onClick={() => restore.mutate(v.version)}>
                  Take this up again
                </TextButton>
              )
            )}
          </li>
        ))}
      </ul>
    </details>
  );
}

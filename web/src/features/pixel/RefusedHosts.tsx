/** Hosts that have the tag and are none of the site's: their hits are refused until they are added. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Button, FormProblem } from "../../components/ui";
import { ago, count } from "../../lib/format";
import { makeStale } from "../../lib/stale";

interface Props {
  siteId: number;
  canEdit: boolean;
  rows: Schemas["RefusedHostOut"][];
}

export function RefusedHosts({ siteId, canEdit, rows }: Props) {
  const queries = useQueryClient();
  const add = useMutation({
    mutationFn: (host: string) =>
      data(
        client.POST("/api/sites/{site_id}/hosts", {
          params: { path: { site_id: siteId } },
          body: { host, stands_for: "" },
        }),
      ),
    onSuccess: async (_, host) => {
      await makeStale(queries, siteId, "pixel", "site", "today");
      toast(`${host} is one of the site’s hosts now. Open one of its pages again.`);
    },
  });
  if (!rows.length) return null;
  return (
    <section aria-labelledby="refused-hosts" className="mt-3 border-l-4 border-marigold pl-3">
      <h2 id="refused-hosts" className="text-lead">
        The tag is on hosts that are not this site’s
      </h2>
      <ul className="mt-1 flex flex-col gap-1.5">
        {rows.map((r) => (
          <li key={r.host} className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
            <bdi className="num font-semibold break-all">{r.host}</bdi>
            <span className="text-quiet">
              {count(r.count)} hit{r.count === 1 ? "" : "s"} refused, the last {ago(r.last_at)}
            </span>
            {canEdit && (
              <Button disabled={add.isPending} onClick={() => add.mutate(r.host)}>
                Add {r.host}
              </Button>
            )}
          </li>
        ))}
      </ul>
      <FormProblem problem={add.error} fields={[]} />
      <p className="mt-1 text-small text-quiet">
        Is it a staging copy? Then say under Site settings which host it stands for.
      </p>
    </section>
  );
}

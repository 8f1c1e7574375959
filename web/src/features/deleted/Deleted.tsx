/** What was deleted from a site in the last 30 days, and can be restored. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { ListTable } from "../../components/ListTable";
import { Empty, Failed, Head, Loading, TextButton } from "../../components/ui";
import { ago, words } from "../../lib/format";
import { useSite } from "../../lib/session";
import { restore } from "../../lib/undo";
import { useSiteId } from "../../lib/useSiteId";

type Gone = Schemas["DeletedOut"];

const KINDS: Record<string, string> = {
  conversion: "Conversion",
  audience: "Audience",
  path: "Path",
  view: "Saved view",
  channel: "Channel",
  link: "Ad link",
  bridge: "Bridge link",
  plan: "Plan",
  test: "Split test",
  column: "Own column",
  budget: "Budget",
  alert: "Alert recipient",
};
/** What does not come back with it. */
const WITHOUT: Record<string, string> = {
  view: "Its links and mails have ended.",
  channel: "Its audiences are sent again once you add them.",
};

const deletedQuery = (siteId: number) => ({
  queryKey: ["deleted", siteId],
  queryFn: () => data(client.GET("/api/sites/{site_id}/deleted", { params: { path: { site_id: siteId } } })),
});

export default function Deleted() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const queries = useQueryClient();
  const gone = useQuery(deletedQuery(siteId));
  const back = useMutation({
    mutationFn: (g: Gone) => restore(siteId, g.kind, g.id),
    onSuccess: (_, g) => toast(`${words(g.name)} is restored.`),
    onError: (error) => toast.error(error.message),
    // Whatever list it is in now.
    onSettled: () => queries.invalidateQueries(),
  });
  return (
    <>
      <Head title="Deleted" lead="What was deleted from this site stays here for 30 days and can be restored." />
      <div className="mt-4 max-w-4xl">
        {gone.isPending && <Loading what="what was deleted" />}
        {gone.isError && <Failed error={gone.error} retry={gone.refetch} />}
        {gone.data?.length === 0 && (
          <Empty title="Nothing was deleted in the last 30 days.">
            <p>Conversions, audiences, plans, split tests, paths, views, channels, links and columns come here.</p>
          </Empty>
        )}
        {!!gone.data?.length && (
          <ListTable<Gone>
            of="deleted things"
            rows={gone.data}
            rowKey={(g) => `${g.kind} ${g.id}`}
            says={(g) => `${g.name}\n${KINDS[g.kind]}`}
            columns={[
              {
                key: "name",
                head: "Name",
                text: true,
                className: "whitespace-normal! break-words",
                order: (g) => words(g.name),
                cell: (g) => (
                  <>
                    <bdi className="font-medium">{words(g.name)}</bdi>
                    {WITHOUT[g.kind] && <span className="block text-small text-quiet">{WITHOUT[g.kind]}</span>}
                  </>
                ),
              },
              {
                key: "kind",
                head: "Kind",
                text: true,
                order: (g) => KINDS[g.kind],
                cell: (g) => KINDS[g.kind] ?? g.kind,
              },
              { key: "when", head: "Deleted", order: (g) => Date.parse(g.deleted_at), cell: (g) => ago(g.deleted_at) },
              {
                key: "do",
                head: <span className="sr-only">Restore</span>,
                cell: (g) =>
                  site.canEdit && (
                    <TextButton
                      aria-label={`Restore ${words(g.name)}`}
                      disabled={back.isPending}
                      onClick={() => back.mutate(g)}
                    >
                      Restore
                    </TextButton>
                  ),
              },
            ]}
          />
        )}
      </div>
    </>
  );
}

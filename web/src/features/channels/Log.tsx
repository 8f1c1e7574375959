/** What a channel was told, line by line, with its answers. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Button, Failed, Loading } from "../../components/ui";
import { count, hour, money, words } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { type AdChannel, reportsQuery } from "./queries";

export function Log({ siteId, channel, canEdit }: { siteId: number; channel: AdChannel; canEdit: boolean }) {
  const queries = useQueryClient();
  const reports = useQuery(reportsQuery(siteId, channel.id));
  const again = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/channels/{channel_id}/reports/again", {
          params: { path: { site_id: siteId, channel_id: channel.id } },
        }),
      ),
    onSuccess: (made) => toast(`${count(made.count)} are sent again.`),
    onError: (error) => toast.error(error.message),
    onSettled: () => makeStale(queries, siteId, "reports", "channels"),
  });
  if (reports.isPending) return <Loading what="the log" />;
  if (reports.isError) return <Failed error={reports.error} retry={reports.refetch} />;
  if (!reports.data.length) return <p className="text-quiet">It was told of nothing yet.</p>;
  return (
    <>
      {canEdit && channel.feedback.refused > 0 && (
        <Button disabled={again.isPending} onClick={() => again.mutate()} className="mb-3">
          Send all refused ones again
        </Button>
      )}
      <Scroll label="What it was told">
        <Table
          columns={[
            { key: "at", head: "Since", className: "num", cell: (r) => hour(r.owed_at) },
            {
              key: "what",
              head: "Conversion",
              text: true,
              cell: (r) => (
                <>
                  {words(r.conversion)}
                  {r.withdrawn ? ", withdrawn" : r.revision > 1 ? ", changed" : ""}
                  <bdi className="num block max-w-40 truncate text-small text-quiet" title={r.event}>
                    {r.event}
                  </bdi>
                </>
              ),
            },
            {
              key: "value",
              head: "Value",
              className: "num",
              cell: (r) => (r.value == null ? "–" : money(r.value, r.currency)),
            },
            {
              key: "answer",
              head: "Answer",
              text: true,
              className: "whitespace-normal!",
              cell: (r) =>
                r.state === "taken" ? (
                  `accepted ${hour(r.answered_at)}`
                ) : r.state === "refused" ? (
                  <span className="text-brick">refused: {r.reason}</span>
                ) : (
                  "waiting"
                ),
            },
          ]}
          rows={reports.data}
          rowKey={(r) => `${r.conversion} ${r.event}`}
        />
      </Scroll>
    </>
  );
}

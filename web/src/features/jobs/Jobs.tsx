/** What the worker does beside the hits: what runs, what waits, and what has failed. For owners. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Scroll } from "../../components/Scroll";
import { type Column, Table } from "../../components/Table";
import { Button, cx, Empty, Failed, Head, Loading } from "../../components/ui";
import { ago, clock } from "../../lib/format";
import { useSession, useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { jobsQuery } from "./queries";

type Job = Schemas["JobOut"];

const WHAT: Record<string, string> = {
  recount: "Counting a conversion back",
  exclusions: "Taking out of reports, or putting back",
  mail: "A mail",
  "what there is to mend": "Looking for what there is to mend",
};
const STATUS: Record<Job["status"], string> = {
  waiting: "waits",
  running: "is being done",
  again: "failed, will be tried again",
  failed: "given up",
};

export default function Jobs() {
  const site = useSite(useSiteId());
  const sites = useSession().data?.workspaces.find((w) => w.id === site.workspaceId)?.sites ?? [];
  const queries = useQueryClient();
  const jobs = useQuery(jobsQuery(site.workspaceId));
  const again = useMutation({
    mutationFn: (job: Job) =>
      data(
        client.POST("/api/workspaces/{workspace_id}/jobs/{job_id}/again", {
          params: { path: { workspace_id: site.workspaceId, job_id: job.id } },
        }),
      ),
    onSuccess: () => toast("It is tried again now."),
    onError: (error) => toast.error(error.message),
    onSettled: () => queries.invalidateQueries({ queryKey: jobsQuery(site.workspaceId).queryKey }),
  });
  const columns: Column<Job>[] = [
    { key: "what", head: "What", text: true, cell: (j) => WHAT[j.what] ?? j.what },
    {
      key: "site",
      head: "For",
      text: true,
      cell: (j) => sites.find((s) => s.id === j.site_id)?.name ?? "the workspace",
    },
    {
      key: "status",
      head: "State",
      text: true,
      className: (j) =>
        cx("whitespace-normal", j.status === "failed" && "text-brick", j.status === "again" && "text-marigold"),
      cell: (j) => (
        <>
          {STATUS[j.status]}
          {j.status === "again" && j.due_at && ` at ${clock(j.due_at)}`}
          {j.reason && <bdi className="block text-small leading-tight break-words text-quiet">{j.reason}</bdi>}
        </>
      ),
    },
    { key: "tries", head: "Tries so far", className: "num", cell: (j) => j.attempts },
    { key: "since", head: "Since", className: "num", cell: (j) => (j.since ? ago(j.since) : "–") },
    {
      key: "again",
      head: <span className="sr-only">Try again</span>,
      cell: (j) =>
        (j.status === "failed" || j.status === "again") && (
          <Button disabled={again.isPending} onClick={() => again.mutate(j)}>
            Try now
          </Button>
        ),
    },
  ];
  return (
    <>
      <Head
        title="Jobs"
        lead="What the worker does beside taking in hits. What fails is tried again, after longer and longer pauses, for about four hours."
      />
      {jobs.isPending && <Loading what="the work" />}
      {jobs.isError && <Failed error={jobs.error} retry={jobs.refetch} />}
      {jobs.data &&
        (jobs.data.length ? (
          <Scroll label="Jobs" className="mt-4 max-w-5xl">
            <Table columns={columns} rows={jobs.data} rowKey={(j) => j.id} />
          </Scroll>
        ) : (
          <div className="mt-5">
            <Empty title="Nothing waits, and nothing has failed." />
          </div>
        ))}
    </>
  );
}

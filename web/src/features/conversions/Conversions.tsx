import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { DayBars } from "../../charts/DayBars";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Tabs } from "../../components/Tabs";
import { Button, Empty, Failed, Head, Loading, TextButton } from "../../components/ui";
import { ago, count, day, money, words } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale, REPORTS } from "../../lib/stale";
import { useSiteId } from "../../lib/useSiteId";
import { changed } from "../../words/changed";
import { Bridges } from "./Bridges";
import { Editor } from "./Editor";
import { CATEGORIES, COUNTINGS, type Conversion } from "./model";
import { conversionsQuery } from "./queries";

function Recounting({ progress }: { progress: number | null | undefined }) {
  if (progress == null) return <span className="text-marigold">counting back …</span>;
  return (
    <span className="text-marigold">
      counting back, {Math.round(progress * 100)} %
      <progress className="block h-1 w-full accent-marigold" value={progress} aria-label="Counted back" />
    </span>
  );
}

export default function Conversions() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [editing, setEditing] = useState<Conversion | "new">();
  const [part, setPart] = useState<"rules" | "bridges">("rules");
  const list = useQuery(conversionsQuery(siteId));
  const again = () => makeStale(queries, siteId, "conversions", ...REPORTS);
  const path = (id: number) => ({ params: { path: { site_id: siteId, rule_id: id } } });
  const restore = useMutation({
    mutationFn: (id: number) => data(client.POST("/api/sites/{site_id}/conversions/{rule_id}/restore", path(id))),
    onSettled: again,
    onError: (error) => toast.error(error.message),
  });
  const remove = useMutation({
    mutationFn: (c: Conversion) => data(client.DELETE("/api/sites/{site_id}/conversions/{rule_id}", path(c.id))),
    onSuccess: (_, c) =>
      toast(`${words(c.name)} counts no more.`, {
        action: { label: "Undo", onClick: () => restore.mutate(c.id) },
        duration: 12_000,
      }),
    onError: (error) => toast.error(error.message),
    onSettled: again,
  });

  if (editing)
    return (
      <Editor
        key={editing === "new" ? "new" : editing.id}
        siteId={siteId}
        rule={editing === "new" ? undefined : editing}
        close={() => setEditing(undefined)}
      />
    );
  return (
    <>
      <Head
        title="Conversions"
        lead="What counts as success on this site. A rule is applied to everything recorded, back to the first hit."
        actions={
          site.canEdit &&
          part === "rules" && (
            <Button kind="main" onClick={() => setEditing("new")}>
              New conversion
            </Button>
          )
        }
      />
      <Tabs
        label="Parts of Conversions"
        chosen={part}
        choose={setPart}
        tabs={{ rules: "What counts", bridges: "Bridge links" }}
      >
        {part === "bridges" && <Bridges siteId={siteId} canEdit={site.canEdit} />}
        {part === "rules" && list.isPending && <Loading what="the conversions" />}
        {part === "rules" && list.isError && <Failed error={list.error} retry={list.refetch} />}
        {part === "rules" &&
          list.data &&
          (list.data.length ? (
            <Scroll label="All conversions" className="mt-4">
              <Table<Conversion>
                columns={[
                  {
                    key: "conversion",
                    head: "Conversion",
                    text: true,
                    className: "whitespace-normal",
                    cell: (c) => (
                      <>
                        <TextButton
                          className="text-left font-semibold decoration-line underline-offset-4 hover:decoration-plum"
                          onClick={() => setEditing(c)}
                        >
                          {words(c.name)}
                        </TextButton>
                        <bdi className="block text-small leading-tight break-words text-quiet">{c.sentence}</bdi>
                      </>
                    ),
                  },
                  { key: "kind", head: "Kind", text: true, cell: (c) => CATEGORIES[c.category] },
                  { key: "counted", head: "Counted", text: true, cell: (c) => COUNTINGS[c.counting] },
                  {
                    key: "worth-each",
                    head: "Worth each",
                    className: "num",
                    cell: (c) => (
                      <>
                        {c.value_property ? (
                          <>
                            <span className="font-sans">its own</span>
                            <span className="block text-fine text-quiet">{c.value_property}</span>
                          </>
                        ) : (
                          money(c.value, site.currency)
                        )}
                        {c.lifetime_factor != null && (
                          <span className="block text-fine text-quiet">lifetime × {Number(c.lifetime_factor)}</span>
                        )}
                      </>
                    ),
                  },
                  {
                    key: "last-28-days",
                    head: "Last 28 days",
                    className: "num",
                    hint: "Bots are left out.",
                    cell: (c) => (
                      <>
                        {c.recounting ? <Recounting progress={c.progress} /> : count(c.recent)}
                        {c.unproven > 0 && (
                          <span className="block text-fine text-marigold">
                            {count(c.unproven)} without proof not counted
                          </span>
                        )}
                        {c.beyond > 0 && (
                          <span className="ml-auto block w-36 text-fine leading-tight whitespace-normal text-marigold">
                            {count(c.beyond)} over a day’s limit, {money(c.beyond_value, site.currency)} in no sum
                          </span>
                        )}
                        {c.foreign > 0 && (
                          <span className="block text-fine text-marigold">{count(c.foreign)} in another currency</span>
                        )}
                      </>
                    ),
                  },
                  {
                    key: "day-by-day",
                    head: "Day by day",
                    text: true,
                    className: "w-56",
                    cell: (c) => (
                      <>
                        <DayBars values={c.per_day} height={28} changes={c.changes.map((v) => v.made_at)} />
                        {c.changes.slice(-1).map((v) => (
                          <span key={v.version} className="block text-fine leading-tight text-quiet">
                            changed {day(v.made_at)}
                            {changed(v) && `: ${changed(v)}`}
                          </span>
                        ))}
                      </>
                    ),
                  },
                  { key: "last-one", head: "Last one", className: "num", cell: (c) => ago(c.last_at) },
                  {
                    key: "remove",
                    head: <span className="sr-only">Remove</span>,
                    cell: (c) =>
                      site.canEdit && (
                        <Button kind="quiet" aria-label={`Remove ${words(c.name)}`} onClick={() => remove.mutate(c)}>
                          Remove
                        </Button>
                      ),
                  },
                ]}
                rows={list.data}
                rowKey={(c) => c.id}
              />
            </Scroll>
          ) : (
            <div className="mt-5">
              <Empty title="Nothing counts as a conversion yet.">
                <p>
                  Say what a visitor does when they become a lead or order: a page is reached, a form is sent, a number
                  is called, a frame or your own code says so.
                </p>
                {site.canEdit && (
                  <Button kind="main" onClick={() => setEditing("new")}>
                    Say what counts
                  </Button>
                )}
              </Empty>
            </div>
          ))}
      </Tabs>
    </>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { DayBars } from "../../charts/DayBars";
import { ListTable } from "../../components/ListTable";
import { Tabs } from "../../components/Tabs";
import { Button, Empty, Failed, Head, Loading } from "../../components/ui";
import { ago, count, day, money, words } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale, REPORTS } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { useSiteId } from "../../lib/useSiteId";
import { changed } from "../../words/changed";
import { Outcomes } from "../outcomes/Outcomes";
import { Bridges } from "./Bridges";
import { Editor } from "./Editor";
import { CATEGORIES, COUNTINGS, type Conversion } from "./model";
import { conversionsQuery } from "./queries";

const PARTS = { rules: "What counts", outcomes: "Outcomes", bridges: "Bridge links" };
export type ConversionsPart = keyof typeof PARTS;

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
  const { conversionId } = useParams({ strict: false });
  const navigate = useNavigate();
  const params = { siteId: String(siteId) };
  // The list as it was searched and put in order.
  const close = () => navigate({ to: "/s/$siteId/conversions", params, search: true });
  const edit = (conversionId: string) =>
    navigate({ to: "/s/$siteId/conversions/$conversionId", params: { ...params, conversionId }, search: true });
  const { part = "rules" } = useSearch({ strict: false }) as { part?: ConversionsPart };
  const list = useQuery(conversionsQuery(siteId));
  const again = () => makeStale(queries, siteId, "conversions", ...REPORTS);
  const path = (id: number) => ({ params: { path: { site_id: siteId, rule_id: id } } });
  const remove = useMutation({
    mutationFn: (c: Conversion) => data(client.DELETE("/api/sites/{site_id}/conversions/{rule_id}", path(c.id))),
    onSuccess: (_, c) =>
      offerUndo(queries, {
        siteId,
        kind: "conversion",
        id: c.id,
        says: `${words(c.name)} is deleted and counts no more.`,
        lists: ["conversions", ...REPORTS],
      }),
    onError: (error) => toast.error(error.message),
    onSettled: again,
  });

  if (conversionId) {
    const rule = list.data?.find((c) => String(c.id) === conversionId);
    if (list.isPending) return <Loading what="the conversion" />;
    if (list.isError) return <Failed error={list.error} retry={list.refetch} />;
    if (!rule && conversionId !== "new")
      return (
        <Empty title="There is no such conversion.">
          <p>It may have been deleted.</p>
          <Button onClick={close}>All conversions</Button>
        </Empty>
      );
    return <Editor key={conversionId} siteId={siteId} rule={rule} close={close} />;
  }
  return (
    <>
      <Head
        title="Conversions"
        lead="What counts as success on this site. A rule is applied to everything recorded, back to the first hit."
        actions={
          site.canEdit &&
          part === "rules" && (
            <Button kind="main" onClick={() => edit("new")}>
              New conversion
            </Button>
          )
        }
      />
      <Tabs
        label="Parts of Conversions"
        chosen={part}
        choose={(chosen) => navigate({ to: ".", search: chosen === "rules" ? {} : { part: chosen } })}
        tabs={PARTS}
      >
        {part === "outcomes" && <Outcomes siteId={siteId} />}
        {part === "bridges" && <Bridges siteId={siteId} canEdit={site.canEdit} />}
        {part === "rules" && list.isPending && <Loading what="the conversions" />}
        {part === "rules" && list.isError && <Failed error={list.error} retry={list.refetch} />}
        {part === "rules" &&
          list.data &&
          (list.data.length ? (
            <ListTable<Conversion>
              of="conversions"
              className="mt-4"
              says={(c) => [c.name, c.sentence, CATEGORIES[c.category], COUNTINGS[c.counting]].join("\n")}
              columns={[
                {
                  key: "conversion",
                  head: "Conversion",
                  order: (c) => words(c.name),
                  text: true,
                  className: "whitespace-normal",
                  cell: (c) => (
                    <>
                      <Link
                        to="/s/$siteId/conversions/$conversionId"
                        params={{ ...params, conversionId: String(c.id) }}
                        search={true}
                        className="font-semibold text-plum underline decoration-line underline-offset-4 hover:decoration-plum"
                      >
                        {words(c.name)}
                      </Link>
                      <bdi className="block text-small leading-tight break-words text-quiet">{c.sentence}</bdi>
                    </>
                  ),
                },
                {
                  key: "kind",
                  head: "Kind",
                  text: true,
                  order: (c) => CATEGORIES[c.category],
                  cell: (c) => CATEGORIES[c.category],
                },
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
                  order: (c) => c.recent,
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
                {
                  key: "last-one",
                  head: "Last one",
                  className: "num",
                  order: (c) => (c.last_at ? Date.parse(c.last_at) : null),
                  cell: (c) => ago(c.last_at),
                },
                {
                  key: "remove",
                  head: <span className="sr-only">Delete</span>,
                  cell: (c) =>
                    site.canEdit && (
                      <Button kind="quiet" aria-label={`Delete ${words(c.name)}`} onClick={() => remove.mutate(c)}>
                        Delete
                      </Button>
                    ),
                },
              ]}
              rows={list.data}
              rowKey={(c) => c.id}
            />
          ) : (
            <div className="mt-5">
              <Empty title="Nothing counts as a conversion yet.">
                <p>
                  Say what a visitor does when they become a lead or order: a page is reached, a form is sent, a number
                  is called, a frame or your own code says so.
                </p>
                {site.canEdit && (
                  <Button kind="main" onClick={() => edit("new")}>
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

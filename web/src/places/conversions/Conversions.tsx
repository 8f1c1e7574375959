import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { useSiteId } from "../../app/Shell";
import { useSite } from "../../app/session";
import { DayBars } from "../../charts/DayBars";
import { ago, count, money, words } from "../../parts/format";
import { Scroll } from "../../parts/Scroll";
import { Button, Empty, Failed, Head, Loading } from "../../parts/ui";
import { Editor } from "./Editor";

export type Conversion = Schemas["ConversionOut"];

export const CATEGORIES: Record<Conversion["category"], string> = {
  lead: "lead",
  signup: "sign-up",
  purchase: "purchase",
  booking: "booking",
  other: "other",
};
export const COUNTINGS: Record<Conversion["counting"], string> = {
  every: "every time",
  visit: "once a visit",
  visitor: "once a visitor",
};

export default function Conversions() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [editing, setEditing] = useState<Conversion | "new">();
  const list = useQuery({
    queryKey: ["conversions", siteId],
    queryFn: () => data(client.GET("/api/sites/{site_id}/conversions", { params: { path: { site_id: siteId } } })),
    refetchInterval: (query) => (query.state.data?.some((c) => c.recounting) ? 1_000 : false),
  });
  const again = () => queries.invalidateQueries({ queryKey: ["conversions", siteId] });
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
          site.canEdit && (
            <Button kind="main" onClick={() => setEditing("new")}>
              New conversion
            </Button>
          )
        }
      />
      {list.isPending && <Loading what="the conversions" />}
      {list.isError && <Failed error={list.error} retry={list.refetch} />}
      {list.data &&
        (list.data.length ? (
          <Scroll label="All conversions" className="mt-4">
            <table className="bench">
              <thead>
                <tr>
                  <th className="text">Conversion</th>
                  <th className="text">Kind</th>
                  <th className="text">Counted</th>
                  <th>Worth each</th>
                  <th title="Bots are left out.">Last 28 days</th>
                  <th className="text">Day by day</th>
                  <th>Last one</th>
                  <th>
                    <span className="sr-only">Remove</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {list.data.map((c) => (
                  <tr key={c.id}>
                    <td className="text whitespace-normal">
                      <button
                        type="button"
                        className="text-left font-semibold text-plum underline decoration-line underline-offset-4 hover:decoration-plum"
                        onClick={() => setEditing(c)}
                      >
                        {words(c.name)}
                      </button>
                      <bdi className="block text-[12.5px] leading-tight break-words text-quiet">{c.sentence}</bdi>
                    </td>
                    <td className="text">{CATEGORIES[c.category]}</td>
                    <td className="text">{COUNTINGS[c.counting]}</td>
                    <td className="num">{money(c.value, site.currency)}</td>
                    <td className="num">
                      {c.recounting ? <span className="text-marigold">counting back …</span> : count(c.recent)}
                    </td>
                    <td className="text w-56">
                      <DayBars values={c.per_day} height={28} />
                    </td>
                    <td className="num">{ago(c.last_at)}</td>
                    <td>
                      {site.canEdit && (
                        <Button kind="quiet" aria-label={`Remove ${words(c.name)}`} onClick={() => remove.mutate(c)}>
                          Remove
                        </Button>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </Scroll>
        ) : (
          <div className="mt-5">
            <Empty title="Nothing counts as a conversion yet.">
              <p>
                Say which page a visitor reaches when they have become a lead or have ordered, for example a thank-you
                page.
              </p>
              {site.canEdit && (
                <Button kind="main" onClick={() => setEditing("new")}>
                  Say what counts
                </Button>
              )}
            </Empty>
          </div>
        ))}
    </>
  );
}

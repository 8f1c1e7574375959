/** Links of ads: built by the naming rules, checked while they are written, and what came through each. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { ListTable } from "../../components/ListTable";
import { Empty, Failed, Loading, TextButton } from "../../components/ui";
import { Window } from "../../components/Window";
import { ago, count, money, percent, several } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { Builder } from "./Builder";
import { Code } from "./Code";
import { NamingRules } from "./NamingRules";
import { type AdLink, linksQuery } from "./queries";

export function Links({ siteId }: { siteId: number }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const links = useQuery(linksQuery(siteId));
  const remove = useMutation({
    mutationFn: (link: AdLink) =>
      data(
        client.DELETE("/api/sites/{site_id}/links/{ad_link_id}", {
          params: { path: { site_id: siteId, ad_link_id: link.id } },
        }),
      ),
    onSuccess: (_, link) =>
      offerUndo(queries, {
        siteId,
        kind: "link",
        id: link.id,
        says: "The link is deleted here. What came through it stays where it is.",
        lists: ["links"],
      }),
    onError: (error) => toast.error(error.message),
    onSettled: () => makeStale(queries, siteId, "links"),
  });
  if (links.isPending) return <Loading what="the links" />;
  if (links.isError) return <Failed error={links.error} retry={links.refetch} />;
  const { naming, conversion, days } = links.data;
  return (
    <div className="mt-4 flex flex-col gap-6">
      <section aria-labelledby="build">
        <div className="flex flex-wrap items-baseline justify-between gap-3">
          <h2 id="build" className="text-title">
            A link for an ad
          </h2>
          {site.canEdit && (
            <Window name="Naming rules">
              {(close) => <NamingRules siteId={siteId} naming={naming} done={close} />}
            </Window>
          )}
        </div>
        <Builder siteId={siteId} naming={naming} canEdit={site.canEdit} />
      </section>
      <section aria-labelledby="kept">
        <div className="mb-2 flex flex-wrap items-baseline justify-between gap-3">
          <h2 id="kept" className="text-title">
            What came through each
          </h2>
        </div>
        {links.data.links.length ? (
          <ListTable
            of="links"
            says={(l) => [l.address, l.campaign, l.ad_group, l.ad, l.source, ...Object.values(l.sub_ids)].join("\n")}
            columns={[
              {
                key: "link",
                head: "Link",
                order: (l) => [l.campaign, l.ad_group, l.ad].filter(Boolean).join(" / ") || l.source,
                text: true,
                className: "whitespace-normal! min-w-64",
                cell: (l) => (
                  <>
                    <span className="font-medium">
                      <bdi>{[l.campaign, l.ad_group, l.ad].filter(Boolean).join(" / ") || l.source}</bdi>
                    </span>{" "}
                    <span className="text-quiet">
                      from <bdi>{l.source}</bdi> to <bdi className="num">{l.path}</bdi>
                      {Object.entries(l.sub_ids).map(([name, value]) => (
                        <bdi key={name} className="num">
                          {" "}
                          {name}={value}
                        </bdi>
                      ))}
                    </span>
                  </>
                ),
              },
              {
                key: "visits",
                head: `Visits, ${days} days`,
                order: (l) => l.visits,
                className: "num",
                hint: "That entered at its page with the same source, medium, campaign, ad group, ad and sub-IDs.",
                cell: (l) => count(l.visits),
              },
              {
                key: "converted",
                head: conversion ? `Led to ${several(conversion)}` : "Led to a conversion",
                order: (l) => l.rate?.low,
                className: "num",
                hint: "Visits credited with at least one (last paid touch), of the visits.",
                cell: (l) =>
                  l.rate ? (
                    <>
                      {count(l.converted)} of {count(l.visits)}, {percent(l.rate.estimate, 1)}
                      <span className="block text-mark text-quiet">
                        {percent(l.rate.low, 1)} to {percent(l.rate.high, 1)}
                      </span>
                    </>
                  ) : (
                    "–"
                  ),
              },
              {
                key: "value",
                head: "Value",
                className: "num",
                order: (l) => Number(l.value),
                cell: (l) => money(l.value, site.currency),
              },
              {
                key: "last",
                head: "Last came",
                order: (l) => (l.last_at ? Date.parse(l.last_at) : null),
                className: "num",
                cell: (l) => (l.last_at ? ago(l.last_at) : <span className="text-quiet">nobody yet</span>),
              },
              {
                key: "do",
                head: <span className="sr-only">What to do</span>,
                text: true,
                cell: (l) => (
                  <span className="flex gap-3">
                    <Window name="Copy" kind="quiet">
                      <Code siteId={siteId} link={l} />
                    </Window>
                    {site.canEdit && <TextButton onClick={() => remove.mutate(l)}>Delete</TextButton>}
                  </span>
                ),
              },
            ]}
            rows={links.data.links}
            rowKey={(l) => l.id}
          />
        ) : (
          <Empty title="No link was kept yet.">
            <p>Build one above and save it. What comes through it is shown here.</p>
          </Empty>
        )}
      </section>
    </div>
  );
}

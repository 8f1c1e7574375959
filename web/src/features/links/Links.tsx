/** Links of ads: built by the naming rules, checked while they are written, and what came through each. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Empty, Failed, Loading, TextButton } from "../../components/ui";
import { Window } from "../../components/Window";
import { ago, count, money, percent, several } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { Builder } from "./Builder";
import { Code } from "./Code";
import { NamingRules } from "./NamingRules";
import { type AdLink, linksQuery } from "./queries";

export function Links({ siteId }: { siteId: number }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [find, setFind] = useState("");
  const links = useQuery(linksQuery(siteId));
  const remove = useMutation({
    mutationFn: (link: AdLink) =>
      data(
        client.DELETE("/api/sites/{site_id}/links/{ad_link_id}", {
          params: { path: { site_id: siteId, ad_link_id: link.id } },
        }),
      ),
    onSuccess: () => toast("The link is off the list. What came through it stays where it is."),
    onError: (error) => toast.error(error.message),
    onSettled: () => makeStale(queries, siteId, "links"),
  });
  if (links.isPending) return <Loading what="the links" />;
  if (links.isError) return <Failed error={links.error} retry={links.refetch} />;
  const { naming, conversion, days } = links.data;
  const wanted = find.trim().toLowerCase();
  const shown = links.data.links.filter((l) => !wanted || l.address.toLowerCase().includes(wanted));
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
          {links.data.links.length > 8 && (
            <input
              aria-label="Find a link"
              placeholder="Find a link"
              value={find}
              onChange={(e) => setFind(e.target.value)}
              className="num rounded-box border border-quiet/50 bg-surface px-2 py-1"
            />
          )}
        </div>
        {links.data.links.length ? (
          <Scroll label="Links">
            <Table
              columns={[
                {
                  key: "link",
                  head: "Link",
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
                  className: "num",
                  hint: "That entered at its page with the same source, medium, campaign, ad group, ad and sub-IDs.",
                  cell: (l) => count(l.visits),
                },
                {
                  key: "converted",
                  head: conversion ? `Led to ${several(conversion)}` : "Led to a conversion",
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
                { key: "value", head: "Value", className: "num", cell: (l) => money(l.value, site.currency) },
                {
                  key: "last",
                  head: "Last came",
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
                      {site.canEdit && <TextButton onClick={() => remove.mutate(l)}>Remove</TextButton>}
                    </span>
                  ),
                },
              ]}
              rows={shown}
              rowKey={(l) => l.id}
            />
          </Scroll>
        ) : (
          <Empty title="No link was kept yet.">
            <p>Build one above and save it. What comes through it is shown here.</p>
          </Empty>
        )}
      </section>
    </div>
  );
}

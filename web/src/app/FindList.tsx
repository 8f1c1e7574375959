/** Find anything (Ctrl/⌘ K): sections, pages, conversions, tests, audiences, paths, saved views, people, and what can be done. */
import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { Command } from "cmdk";
import { type ReactNode, useState } from "react";
import { audiencesQuery, foundQuery } from "../features/audiences/queries";
import { conversionsQuery } from "../features/conversions/queries";
import { keptQuery } from "../features/paths/queries";
import { pixelQuery } from "../features/pixel/queries";
import { viewsQuery } from "../features/saved/queries";
import { testsQuery } from "../features/splits/queries";
import { ago, words } from "../lib/format";
import { useSite } from "../lib/session";

const MOST = 8;
// An e-mail address, a customer number or a visitor's id is looked up; words are not.
const PERSON = /@|^[0-9a-f-]{8,}$|\d{4,}/i;

interface Item {
  key: string;
  group: string;
  text: string;
  more?: string;
  /** Other words for it. */
  also?: string;
  go: () => unknown;
}

interface Props {
  siteId: number;
  sections: { path: string; name: string }[];
}

export default function Asked({ siteId, sections, done }: Props & { done: () => void }) {
  const [said, setSaid] = useState("");
  const items = useItems(siteId, sections, said);
  const wanted = said.trim().toLowerCase();
  const fits = (item: Item) =>
    wanted
      .split(/\s+/)
      .every((word) => `${item.text} ${item.more ?? ""} ${item.group} ${item.also ?? ""}`.toLowerCase().includes(word));
  const shown = items.filter((item) => item.group === "People" || fits(item));
  const groups = [...new Set(shown.map((item) => item.group))];
  return (
    <Command shouldFilter={false} label="Find anything" className="mx-auto max-w-3xl px-4 py-4">
      <Command.Input
        // The list comes after the dialog has put the focus somewhere.
        ref={(input) => input?.focus()}
        value={said}
        onValueChange={setSaid}
        placeholder="A page, a conversion, a test, an audience, a person’s e-mail address, …"
        className="w-full border-b-2 border-plum/40 bg-transparent py-2 text-title outline-none focus:border-plum"
      />
      <Command.List className="mt-2 max-h-[60vh] overflow-y-auto">
        <Command.Empty className="py-4 text-quiet">Nothing here is called that.</Command.Empty>
        {groups.map((group) => (
          <Command.Group
            key={group}
            heading={group}
            className="[&_[cmdk-group-heading]]:pt-3 [&_[cmdk-group-heading]]:pb-1 [&_[cmdk-group-heading]]:text-fine [&_[cmdk-group-heading]]:text-quiet"
          >
            {shown
              .filter((item) => item.group === group)
              .slice(0, wanted ? MOST : 4)
              .map((item) => (
                <Command.Item
                  key={item.key}
                  value={item.key}
                  onSelect={() => {
                    done();
                    item.go();
                  }}
                  className="flex cursor-pointer items-baseline justify-between gap-4 px-2 py-1 data-[selected=true]:bg-plum-wash"
                >
                  <bdi className="min-w-0 truncate">{item.text}</bdi>
                  {item.more && <Quiet>{item.more}</Quiet>}
                </Command.Item>
              ))}
          </Command.Group>
        ))}
      </Command.List>
    </Command>
  );
}

function Quiet({ children }: { children: ReactNode }) {
  return <bdi className="shrink-0 truncate text-small text-quiet">{children}</bdi>;
}

/** What it is called, where it is, other words for it, and what stands in the address. */
type Action = [text: string, path: string, also: string, search?: Record<string, unknown>];
const ANYBODYS: Action[] = [
  ["Change your password", "account", "account security sign in"],
  ["Change your name", "account", "account profile"],
  ["Theme: light or dark", "account", "display appearance mode night colours"],
  ["Language of numbers and dates", "account", "locale format decimal comma"],
  ["Sign out other devices", "account", "sessions log out security"],
  ["Export landing pages", "pages", "download csv excel parquet json report"],
  ["Export traffic sources", "sources", "download csv excel parquet json report"],
  ["Compare with the period before", "pages", "previous against", { compare: "before" }],
  ["Restore what was deleted", "deleted", "undo undelete trash bin recover"],
  ["Look up one visitor", "audiences", "person customer e-mail privacy access"],
];
const EDITORS: Action[] = [
  ["New audience", "audiences/new", "retargeting people segment"],
  ["New conversion", "conversions/new", "goal define lead order event rule"],
  ["New split test", "tests", "a/b experiment variant"],
  ["New plan", "plans", "ads campaign budget bid frequency cap placement creative"],
  ["Name the steps of a path", "paths", "funnel drop-off"],
  ["Import a spend file", "spend", "cost upload csv excel ads"],
  ["Import outcomes of leads and orders", "conversions", "qualified sold refund crm upload", { part: "outcomes" }],
  ["Channels", "spend", "connect ad platform sync", { part: "channels" }],
  ["Build a link for an ad", "spend", "utm parameters qr naming rules", { part: "links" }],
  ["Check a page’s tag", "pixel", "test install verify"],
  ["Install the tag", "pixel", "script snippet code kit setup"],
  ["Time zone and currency", "pixel", "site settings"],
  ["Consent and privacy", "pixel", "site settings cookies gdpr"],
  ["Attribution window", "pixel", "site settings days credit lookback"],
  ["Alerts by mail or webhook", "alerts", "notify notification warn hook message when broken"],
  ["Hosts of this site", "pixel", "site settings domain"],
];
const OWNERS: Action[] = [
  ["Invite a colleague", "people", "member user role team access"],
  ["API tokens", "people", "program key access"],
  ["Jobs", "work", "background queue worker"],
];

function useItems(siteId: number, sections: Props["sections"], said: string): Item[] {
  const site = useSite(siteId);
  const navigate = useNavigate();
  const params = { siteId: String(siteId) };
  const pixel = useQuery(pixelQuery(siteId)).data;
  const conversions = useQuery(conversionsQuery(siteId)).data;
  const tests = useQuery(testsQuery(siteId)).data;
  const audiences = useQuery(audiencesQuery(siteId)).data;
  const paths = useQuery(keptQuery(siteId)).data;
  const views = useQuery(viewsQuery(siteId)).data;
  const asked = said.trim();
  const people = useQuery({ ...foundQuery(siteId, asked), enabled: PERSON.test(asked) }).data;
  const to = (path: string, search: Record<string, unknown> = {}) =>
    navigate({ to: `/s/$siteId/${path}` as "/s/$siteId/pages", params, search });
  const actions = [...ANYBODYS, ...(site.canEdit ? EDITORS : []), ...(site.role === "owner" ? OWNERS : [])];
  return [
    ...(people ?? []).map((p) => ({
      key: `person ${p.visitor}`,
      group: "People",
      text: p.key.slice(0, 12),
      more: `${p.visits} visits, last ${ago(p.last_at)}`,
      go: () => to("audiences", { visitor: p.visitor }),
    })),
    ...sections.map((s) => ({ key: `section ${s.path}`, group: "Sections", text: s.name, go: () => to(s.path) })),
    ...(views ?? []).map((v) => ({
      key: `view ${v.id}`,
      group: "Saved views",
      text: v.name,
      go: () => to(v.place, { ...v.words, view: v.id }),
    })),
    ...(pixel?.pages ?? []).map((p) => ({
      key: `page ${p.id}`,
      group: "Pages",
      text: p.path,
      more: p.title,
      go: () => to("pages", { open: p.id }),
    })),
    ...(conversions ?? []).map((c) => ({
      key: `conversion ${c.id}`,
      group: "Conversions",
      text: words(c.name),
      more: "pages by it",
      go: () => to("pages", { conversion: c.id }),
    })),
    ...(tests ?? []).map((t) => ({
      key: `test ${t.id}`,
      group: "Split tests",
      text: t.name,
      more: t.state,
      go: () => to(`tests/${t.id}`),
    })),
    ...(audiences ?? []).map((a) => ({
      key: `audience ${a.id}`,
      group: "Audiences",
      text: a.name,
      go: () => to(`audiences/${a.id}`),
    })),
    ...(paths ?? []).map((p) => ({
      key: `path ${p.id}`,
      group: "Paths",
      text: p.name,
      go: () => to("paths", { path: p.id }),
    })),
    ...actions.map(([text, path, also, search]) => ({
      key: `action ${text}`,
      group: "Actions and settings",
      text,
      also,
      go: () => to(path, search),
    })),
  ];
}

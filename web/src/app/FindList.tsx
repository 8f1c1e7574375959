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
    wanted.split(/\s+/).every((word) => `${item.text} ${item.more ?? ""} ${item.group}`.toLowerCase().includes(word));
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
  const actions: [string, string, Record<string, unknown>?][] = site.canEdit
    ? [
        ["New audience", "audiences/new"],
        ["Take in a spend file", "spend"],
        ["Define a conversion", "conversions"],
        ["Plan a split test", "tests"],
        ["Name the steps of a path", "paths"],
        ["Check a page’s tag", "pixel"],
      ]
    : [];
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
    ...actions.map(([text, path, search]) => ({
      key: `action ${text}`,
      group: "Do",
      text,
      go: () => to(path, search),
    })),
  ];
}

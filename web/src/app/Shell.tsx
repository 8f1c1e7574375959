/** The rail, with one small state for each section, and the section beside it. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, Outlet, useLocation, useNavigate } from "@tanstack/react-router";
import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { signOut } from "../api/auth";
import { ThinPattern } from "../charts/SpreadBar";
import { SimulationNote } from "../components/Simulated";
import { Button, cx, Select, TextButton } from "../components/ui";
import { OpenView } from "../features/saved/OpenView";
import { viewsQuery } from "../features/saved/queries";
import { railQuery, todayQuery } from "../features/today/queries";
import { ago, foreignZone, writeTimesIn } from "../lib/format";
import { isPlain, type Key, useListedKeys } from "../lib/keys";
import { useSession, useSite } from "../lib/session";
import { useSiteId } from "../lib/useSiteId";
import { Find } from "./Find";
import { SettingsWait } from "./SettingsWait";

function Mark() {
  return (
    <svg width="24" height="22" viewBox="0 0 24 22" aria-hidden="true">
      <path d="M1 11h22" stroke="var(--color-plum)" strokeOpacity=".55" strokeWidth="3.5" />
      <path d="M12 3v16" stroke="var(--color-ink)" strokeWidth="3" />
    </svg>
  );
}

const SECTIONS = [
  { name: "", places: [["today", "Today", "d"]] },
  {
    name: "Set up",
    places: [
      ["pixel", "Pixel", "p"],
      ["conversions", "Conversions", "c"],
      ["live", "Live", "l"],
    ],
  },
  {
    name: "Use",
    places: [
      ["audiences", "Audiences", "u"],
      ["plans", "Plans", "n"],
      ["spend", "Spend", "s"],
    ],
  },
  {
    name: "Judge",
    places: [
      ["pages", "Pages", "a"],
      ["sources", "Sources", "o"],
      ["paths", "Paths", "h"],
      ["tests", "Split tests", "t"],
    ],
  },
] as const;
type PlaceName = (typeof SECTIONS)[number]["places"][number][0];

function useStates(siteId: number): Partial<Record<PlaceName, { text: string; warn?: boolean }>> {
  const rail = useQuery(railQuery(siteId)).data;
  // Where Today is open, it knows better.
  const toMend = useQuery({ ...todayQuery(siteId), enabled: false }).data?.to_mend ?? rail?.to_mend;
  if (!rail) return {};
  return {
    today: toMend ? { text: `${toMend} to mend`, warn: true } : undefined,
    pixel: rail.stopped_pages
      ? { text: `${rail.stopped_pages} stopped`, warn: true }
      : rail.last_hit_at
        ? { text: ago(rail.last_hit_at) }
        : { text: "no hit yet", warn: true },
    conversions: { text: String(rail.conversions), warn: !rail.conversions },
    audiences: { text: String(rail.audiences) },
    plans: { text: `${rail.running_plans} on` },
    pages: { text: String(rail.pages) },
    tests: rail.broken_tests
      ? { text: `${rail.broken_tests} broken`, warn: true }
      : { text: `${rail.running_tests} on` },
  };
}

export function Shell() {
  const siteId = useSiteId();
  const session = useSession().data;
  const site = useSite(siteId);
  // Before anything below writes a time.
  writeTimesIn(site.time_zone);
  const states = useStates(siteId);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { pathname } = useLocation();
  // On a narrow screen the rail is a menu, which closes once something is chosen.
  const [menuAt, setMenuAt] = useState<string>();
  const menu = menuAt === pathname;
  const sites = session?.workspaces.flatMap((w) => w.sites) ?? [];
  const leave = async () => {
    await signOut();
    queries.clear();
    await navigate({ to: "/sign-in" });
  };

  return (
    <div className="min-h-screen md:flex">
      <a href="#work" className="sr-only bg-surface p-2 focus:not-sr-only focus:absolute">
        Skip to the work
      </a>
      <nav
        aria-label="Sections"
        className="shrink-0 border-b py-2 md:sticky md:top-0 md:flex md:h-screen md:w-[152px] md:flex-col md:overflow-x-hidden md:overflow-y-auto md:border-r md:border-b-0 md:py-3"
      >
        <div className="mx-4 flex items-center justify-between md:mb-2">
          <div className="flex items-center gap-2 font-head text-brand font-bold">
            <Mark /> Clabo
          </div>
          <Button
            className="md:hidden"
            aria-expanded={menu}
            aria-controls="sections"
            onClick={() => setMenuAt(menu ? undefined : pathname)}
          >
            {menu ? "Close menu" : "Menu"}
          </Button>
        </div>
        <div id="sections" className={cx(menu ? "mt-2 flex" : "hidden", "flex-col md:mt-0 md:flex md:flex-1")}>
          <Find siteId={siteId} sections={SECTIONS.flatMap((s) => s.places.map(([path, name]) => ({ path, name })))} />
          {SECTIONS.map((section) => (
            <div key={section.name} className="mt-2">
              {section.name && <div className="mb-1 px-4 text-fine text-quiet">{section.name}</div>}
              {section.places.map(([path, name]) => (
                <Link
                  key={path}
                  to={`/s/$siteId/${path}`}
                  params={{ siteId: String(siteId) }}
                  className="flex items-baseline justify-between gap-1.5 border-l-[3px] border-transparent px-[13px] py-1.5 whitespace-nowrap hover:bg-plum-wash md:py-1"
                  activeProps={{ className: "bg-surface font-semibold border-l-ink!", "aria-current": "page" }}
                >
                  {name}
                  {states[path as PlaceName] && (
                    <span
                      className={cx(
                        "font-mono text-mark",
                        states[path as PlaceName]?.warn ? "font-semibold text-marigold" : "text-quiet",
                      )}
                    >
                      {states[path as PlaceName]?.text}
                    </span>
                  )}
                </Link>
              ))}
            </div>
          ))}
          <Kept siteId={siteId} />
          <SimulationNote siteId={siteId} className="hidden px-4 pt-3 pb-2 md:mt-auto md:block" />
          <div className="mt-2 border-t px-4 pt-2 md:mt-0">
            {sites.length > 1 ? (
              <Select
                aria-label="Site"
                value={siteId}
                onChange={(e) => navigate({ to: "/s/$siteId/today", params: { siteId: e.target.value } })}
                className="text-small"
              >
                {sites.map((s) => (
                  <option key={s.id} value={s.id}>
                    {s.name}
                  </option>
                ))}
              </Select>
            ) : (
              <div className="text-small text-quiet">{site.name}</div>
            )}
            <div className="truncate text-small text-quiet" title={`${session?.name}, ${site.role}`}>
              {session?.name}
            </div>
            {foreignZone() && <div className="text-fine leading-tight text-quiet">Time zone: {foreignZone()}</div>}
            <div className="mt-1 flex flex-wrap gap-x-3 gap-y-1 text-small whitespace-nowrap">
              {(["account", "people", "deleted", ...(site.role === "owner" ? (["work"] as const) : [])] as const).map(
                (to) => (
                  <Link
                    key={to}
                    to={`/s/$siteId/${to}`}
                    params={{ siteId: String(siteId) }}
                    className="text-plum underline"
                    activeProps={{ className: "font-semibold", "aria-current": "page" }}
                  >
                    {{ account: "Account", people: "People", deleted: "Deleted", work: "Jobs" }[to]}
                  </Link>
                ),
              )}
              <TextButton onClick={leave}>Sign out</TextButton>
            </div>
          </div>
        </div>
      </nav>
      <main id="work" tabIndex={-1} className="min-w-0 flex-1 px-4 py-4 outline-none md:px-6">
        <SettingsWait siteId={siteId} />
        <Outlet />
        <SimulationNote siteId={siteId} className="mt-6 block md:hidden" />
      </main>
      <ThinPattern />
      <Shortcuts siteId={siteId} />
    </div>
  );
}

const SHORT = 5;

/** Saved views, a short list. */
function Kept({ siteId }: { siteId: number }) {
  const views = useQuery(viewsQuery(siteId)).data ?? [];
  const place = "block truncate px-4 py-1 whitespace-nowrap hover:bg-plum-wash";
  return (
    <div className="mt-2">
      {views.length > 0 && <div className="mb-1 px-4 text-fine text-quiet">Saved</div>}
      <div>
        {views.slice(0, SHORT).map((v) => (
          <OpenView key={v.id} siteId={siteId} view={v} className={place} />
        ))}
      </div>
      <Link
        to="/s/$siteId/views"
        params={{ siteId: String(siteId) }}
        className={cx(place, "text-small text-quiet")}
        activeProps={{ className: "bg-surface font-semibold", "aria-current": "page" }}
      >
        {views.length > SHORT ? `All ${views.length} saved views` : "Saved views"}
      </Link>
    </div>
  );
}

/** `g` and a letter goes to a section; `?` lists the shortcuts. */
function Shortcuts({ siteId }: { siteId: number }) {
  const navigate = useNavigate();
  const [listed, setListed] = useState(false);
  useEffect(() => {
    let last = "";
    const listen = (event: KeyboardEvent) => {
      if (!isPlain(event)) return;
      const place = SECTIONS.flatMap((s) => [...s.places]).find((p) => p[2] === event.key);
      if (last === "g" && place) navigate({ to: `/s/$siteId/${place[0]}`, params: { siteId: String(siteId) } });
      if (event.key === "?") setListed(true);
      last = event.key;
    };
    addEventListener("keydown", listen);
    return () => removeEventListener("keydown", listen);
  }, [navigate, siteId]);
  const here = useListedKeys();
  const everywhere: Key[] = [
    ...SECTIONS.flatMap((s) => s.places.map((p): Key => [`g ${p[2]}`, p[1]])),
    ["Ctrl K", "find anything (⌘ K on a Mac)"],
    ["Esc", "close what is open"],
    ["?", "this list"],
  ];
  return (
    <Dialog.Root open={listed} onOpenChange={setListed}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-40 -translate-1/2 rounded-box border bg-surface p-5 text-ink outline-none"
        >
          <Dialog.Title className="mb-3 text-lg">Keyboard shortcuts</Dialog.Title>
          <div className="flex flex-col gap-x-10 gap-y-4 sm:flex-row">
            {here.length > 0 && <Listed title="On this screen" keys={here} />}
            <Listed title="Everywhere" keys={everywhere} />
          </div>
          <Dialog.Close asChild>
            <Button className="mt-4">Close</Button>
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Listed({ title, keys }: { title: string; keys: readonly Key[] }) {
  return (
    <section aria-label={title}>
      <h3 className="mb-1 text-small text-quiet">{title}</h3>
      <dl className="grid grid-cols-[5rem_1fr] gap-y-1">
        {keys.map(([key, does]) => (
          <div key={`${key} ${does}`} className="contents">
            <dt className="num">{key}</dt>
            <dd className="max-w-64">{does}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

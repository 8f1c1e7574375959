/** All addresses. Each section is loaded when it is opened. */
import type { QueryClient } from "@tanstack/react-query";
import {
  createRootRoute,
  createRoute,
  createRouter,
  type ErrorComponentProps,
  lazyRouteComponent,
  Outlet,
  redirect,
} from "@tanstack/react-router";
import { Empty, Failed, Loading } from "../components/ui";
import { readPagesSearch } from "../features/pages/search";
import { readPathsSearch } from "../features/paths/model";
import { readWaysSearch } from "../features/paths/ways";
import { readSourcesSearch } from "../features/sources/search";
import { readLens } from "../lib/lens";
import { sessionQuery } from "../lib/session";
import { Shell } from "./Shell";

function RouteFailed({ error, reset }: ErrorComponentProps) {
  return (
    <div className="p-6">
      <Failed error={error} retry={reset} />
    </div>
  );
}

export function makeRouter(queries: QueryClient) {
  const root = createRootRoute({
    component: Outlet,
    notFoundComponent: () => (
      <div className="p-6">
        <Empty title="There is nothing at this address.">
          <a href="/" className="text-plum underline">
            Go to the start
          </a>
        </Empty>
      </div>
    ),
  });
  const session = () => queries.ensureQueryData(sessionQuery);

  const home = createRoute({
    getParentRoute: () => root,
    path: "/",
    beforeLoad: async () => {
      const now = await session();
      if (!now.email) throw redirect({ to: now.setup_needed ? "/setup" : "/sign-in" });
      const site = now.workspaces.flatMap((w) => w.sites)[0];
      if (!site) throw redirect({ to: "/new-site" });
      throw redirect({ to: "/s/$siteId/today", params: { siteId: String(site.id) } });
    },
  });
  const signIn = createRoute({
    getParentRoute: () => root,
    path: "/sign-in",
    validateSearch: (s: Record<string, unknown>): { next?: string } =>
      typeof s.next === "string" && /^\/(?!\/)/.test(s.next) ? { next: s.next } : {},
    component: lazyRouteComponent(() => import("../features/account/SignIn")),
  });
  const setup = createRoute({
    getParentRoute: () => root,
    path: "/setup",
    validateSearch: (s: Record<string, unknown>) => ({ token: String(s.token ?? "") }),
    component: lazyRouteComponent(() => import("../features/account/Setup")),
  });
  const welcome = createRoute({
    getParentRoute: () => root,
    path: "/welcome/$key",
    component: lazyRouteComponent(() => import("../features/account/Welcome")),
  });
  const join = createRoute({
    getParentRoute: () => root,
    path: "/join/$token",
    component: lazyRouteComponent(() => import("../features/account/Join")),
  });
  const forgotten = createRoute({
    getParentRoute: () => root,
    path: "/forgotten",
    component: lazyRouteComponent(() => import("../features/account/Forgotten")),
  });
  const kit = createRoute({
    getParentRoute: () => root,
    path: "/kit/$token",
    component: lazyRouteComponent(() => import("../features/pixel/SharedKit")),
  });
  const shared = createRoute({
    getParentRoute: () => root,
    path: "/shared/$token",
    component: lazyRouteComponent(() => import("../features/saved/Shared")),
  });
  const unsubscribe = createRoute({
    getParentRoute: () => root,
    path: "/unsubscribe/$token",
    component: lazyRouteComponent(() => import("../features/saved/Unsubscribe")),
  });
  const newSite = createRoute({
    getParentRoute: () => root,
    path: "/new-site",
    beforeLoad: async () => {
      if (!(await session()).email) throw redirect({ to: "/sign-in" });
    },
    component: lazyRouteComponent(() => import("../features/account/NewSite")),
  });

  const site = createRoute({
    getParentRoute: () => root,
    path: "/s/$siteId",
    // What a list is searched for, and the column it is in order of.
    validateSearch: (s: Record<string, unknown>): { find?: string; order?: string } => ({
      ...(typeof s.find === "string" && s.find ? { find: s.find } : {}),
      ...(typeof s.order === "string" && s.order ? { order: s.order } : {}),
    }),
    beforeLoad: async ({ location, params }) => {
      const now = await session();
      if (!now.email) throw redirect({ to: "/sign-in", search: { next: location.href } });
      const known = now.workspaces.some((w) => w.sites.some((s) => s.id === Number(params.siteId)));
      if (!known) throw new Error("This site does not exist, or you have no access to it.");
    },
    component: Shell,
  });
  const pages = createRoute({
    getParentRoute: () => site,
    path: "pages",
    validateSearch: readPagesSearch,
    component: lazyRouteComponent(() => import("../features/pages/Pages")),
  });
  const place = <P extends string>(path: P, load: () => Promise<{ default: () => React.ReactNode }>) =>
    createRoute({ getParentRoute: () => site, path, component: lazyRouteComponent(load) });
  const pixel = createRoute({
    getParentRoute: () => site,
    path: "pixel",
    // A page to be checked at once.
    validateSearch: (s: Record<string, unknown>): { check?: string } =>
      typeof s.check === "string" ? { check: s.check } : {},
    component: lazyRouteComponent(() => import("../features/pixel/Pixel")),
  });
  const test = createRoute({
    getParentRoute: () => site,
    path: "tests/$testId",
    validateSearch: readLens,
    component: lazyRouteComponent(() => import("../features/splits/Result")),
  });

  const audiences = createRoute({
    getParentRoute: () => site,
    path: "audiences",
    // A visitor to be shown at once.
    validateSearch: (s: Record<string, unknown>): { visitor?: number } =>
      Number(s.visitor) > 0 ? { visitor: Number(s.visitor) } : {},
    component: lazyRouteComponent(() => import("../features/audiences/Audiences")),
  });
  const paths = createRoute({
    getParentRoute: () => site,
    path: "paths",
    validateSearch: readPathsSearch,
    component: lazyRouteComponent(() => import("../features/paths/Paths")),
  });
  const sources = createRoute({
    getParentRoute: () => site,
    path: "sources",
    validateSearch: readSourcesSearch,
    component: lazyRouteComponent(() => import("../features/sources/Sources")),
  });
  const worst = createRoute({
    getParentRoute: () => site,
    path: "worst",
    validateSearch: readLens,
    component: lazyRouteComponent(() => import("../features/pages/Worst")),
  });
  const ways = createRoute({
    getParentRoute: () => site,
    path: "ways",
    validateSearch: readWaysSearch,
    component: lazyRouteComponent(() => import("../features/paths/Ways")),
  });
  const forms = createRoute({
    getParentRoute: () => site,
    path: "forms",
    validateSearch: readLens,
    component: lazyRouteComponent(() => import("../features/paths/Forms")),
  });
  const views = createRoute({
    getParentRoute: () => site,
    path: "views",
    validateSearch: (s: Record<string, unknown>): { open?: number } =>
      Number(s.open) > 0 ? { open: Number(s.open) } : {},
    component: lazyRouteComponent(() => import("../features/saved/Views")),
  });
  const spend = createRoute({
    getParentRoute: () => site,
    path: "spend",
    validateSearch: (s: Record<string, unknown>): { part?: "budgets" | "channels" | "links" } =>
      s.part === "budgets" || s.part === "channels" || s.part === "links" ? { part: s.part } : {},
    component: lazyRouteComponent(() => import("../features/spend/Spend")),
  });
  const conversions = createRoute({
    getParentRoute: () => site,
    path: "conversions",
    validateSearch: (s: Record<string, unknown>): { part?: "outcomes" | "bridges" } =>
      s.part === "outcomes" || s.part === "bridges" ? { part: s.part } : {},
    component: lazyRouteComponent(() => import("../features/conversions/Conversions")),
  });
  const audience = createRoute({
    getParentRoute: () => site,
    path: "audiences/$audienceId",
    validateSearch: (s: Record<string, unknown>): { all?: string; none?: string } => ({
      ...(s.all ? { all: String(s.all) } : {}),
      ...(s.none ? { none: String(s.none) } : {}),
    }),
    component: lazyRouteComponent(() => import("../features/audiences/Audience")),
  });

  return createRouter({
    routeTree: root.addChildren([
      home,
      signIn,
      setup,
      welcome,
      join,
      forgotten,
      kit,
      shared,
      unsubscribe,
      newSite,
      site.addChildren([
        pages,
        place("today", () => import("../features/today/Today")),
        pixel,
        conversions,
        // A conversion's own address; "new" for one that is being written.
        place("conversions/$conversionId", () => import("../features/conversions/Conversions")),
        place("live", () => import("../features/live/Live")),
        spend,
        place("plans", () => import("../features/plans/Plans")),
        place("plans/$planId", () => import("../features/plans/Plan")),
        place("tests", () => import("../features/splits/Tests")),
        place("account", () => import("../features/account/Account")),
        place("alerts", () => import("../features/alerts/Alerts")),
        place("deleted", () => import("../features/deleted/Deleted")),
        place("people", () => import("../features/people/People")),
        place("work", () => import("../features/jobs/Jobs")),
        audiences,
        paths,
        sources,
        views,
        ways,
        forms,
        worst,
        audience,
        test,
      ]),
    ]),
    defaultPendingComponent: () => (
      <div className="p-6">
        <Loading what="this section" />
      </div>
    ),
    defaultErrorComponent: RouteFailed,
    defaultPreload: "intent",
  });
}

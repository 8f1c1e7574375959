/** The browser tag. Nothing here may ever throw into the page: see safe.ts. */
import { hold } from "./content";
import type { Facts } from "./entrants";
import { described, type Submitted } from "./forms";
import { type Carry, type Known, makeQueue, type Sent, type Element as Traits, type Who } from "./queue";
import { all, attribute, cookies, fits, guard, json, newId, ofDocument, on, rearm, tab, tried, within } from "./safe";
import type { Settings } from "./settings";
import { route } from "./splits";

declare const __SETTINGS__: Settings;
/** Built in where split tests run, and left out elsewhere. */
declare const __SPLITS__: boolean;
/** Built in, and the one above too, where one of them changes what is on a page. */
declare const __CONTENT__: boolean;
/** Built in where a split test is not for everybody. */
declare const __WHO__: boolean;
/** Built in where consent is asked for, nobody has an id, or more than the path tells pages apart. */
declare const __MORE__: boolean;

/** A named event; or with an object first, who it is. */
type Mark = [name: string | Record<string, unknown>, properties?: Record<string, unknown>];

/** What the parts that are loaded on demand are given. */
export interface Tag {
  settings: Settings;
  event: (kind: Sent["kind"], element?: Traits, more?: Partial<Sent>) => void;
  /** Called at every view, the page's own included. */
  viewed: ((address: string) => void)[];
  /** Called when the page is left, before what there is is sent. */
  leaving: (() => void)[];
  /** What happened before the part was there. */
  early: unknown[];
  /** Called at every form that is sent; the part for forms takes it over. */
  sent: (sent: Submitted) => unknown;
  /** Called where the browser itself refuses a form. */
  refused: (event: Event) => unknown;
  /** Called at every click with what it passed through; the part for clicks takes it over. */
  clicked: (path: EventTarget[]) => unknown;
  /** Who it is, where that may be known; and what is known of the visit. */
  visitor: () => string | undefined;
  facts?: () => Facts;
  /** When somebody last clicked or pressed a key. */
  acted: number;
  /** Another way to the collector, where the page's own does not lead there. */
  carry?: Carry;
  /** What the address asked for, a writer of cookies `clabo_<name>`, and what begins once that is done. */
  told?: string;
  cookie: (name: string, value: string, seconds: number) => void;
  go: () => unknown;
}

interface Api {
  q?: Mark[] | { push: (call: Mark) => void };
  /** The consent that was given before the tag was there. */
  c?: boolean;
  on?: number;
  twice?: () => void;
  part?: (name: string, start: (tag: Tag) => void) => void;
  mark: (...call: Mark) => void;
  person: (said: unknown) => void;
  consent: (given: boolean) => void;
}
declare global {
  interface Window {
    clabo?: Api;
    trustedTypes?: { createPolicy: (name: string, rules: object) => { createScriptURL: (url: string) => string } };
  }
  interface Navigator {
    globalPrivacyControl?: boolean;
  }
}

/** True where the page is being left for a variant. */
function run(settings: Settings): unknown {
  const before = window.clabo;
  if (before?.on) {
    before.twice?.();
    return;
  }
  const nothing = () => {};
  const call = guard(([what, more]: Mark) => (typeof what === "object" ? api.person(what) : api.mark(what, more)));
  const api: Api = {
    on: 1,
    mark: nothing,
    person: guard((said) => need("person", said)),
    consent: nothing,
    q: { push: call },
  };
  window.clabo = api;
  // The visitor asks not to be followed: nothing is stored and nothing is sent.
  if (navigator.globalPrivacyControl) return;

  const inFrame = parent !== window && fits(ofDocument("currentScript"), "[data-clabo-frame]");
  const secure = location.protocol[4] === "s" ? ";secure" : "";
  const cookie = (name: string, value: string, seconds: number) =>
    tried(() => {
      // biome-ignore lint/suspicious/noDocumentCookie: the Cookie Store API is missing in some browsers.
      document.cookie = `clabo_${name}=${value};path=/;max-age=${seconds};samesite=lax${secure}`;
    });
  // The page may tidy its address before the first sending.
  const came = location.search;
  // Own visits and rehearsals: the link says so once, and the browser or the tab remembers (parts/notice.ts).
  const told = /[?&#]clabo=([\w-]+)/.exec(location.href)?.[1];
  // "edit-…": what lets somebody write a draft is for nobody else on the page.
  if (told?.[3] === "t") location.hash = "";

  let referrer: string = ofDocument("referrer") || "";
  const touch = navigator.maxTouchPoints && tried(() => matchMedia("(pointer:coarse)").matches);
  const device = touch ? (Math.min(screen.width, screen.height) < 600 ? "phone" : "tablet") : "desktop";
  const who: Who = { visitor: "", device };
  const variants: Record<string, string> = {};
  // Until consent is given or refused; then the queue, or nothing.
  let held: Sent[] = [];
  let send = (event: Sent): unknown => held.push(event);
  let queue: ReturnType<typeof makeQueue> | undefined;
  // An id may be stored.
  let opened = false;
  let known: Known | undefined;
  // The id is the same on the next page.
  let lasts = true;
  /** The first look at a page's cookies is slow: it waits for the first sending, unless a split test has to know. */
  function identify(): Known | undefined {
    if (known || !opened) return known;
    const kept = cookies();
    if (kept.includes("clabo_own=1")) who.own = true;
    if (kept.includes("clabo_rehearsing")) who.rehearsal = tab.get("clabo_rehearsal") || undefined;
    if (!__MORE__ || settings.consent !== "nameless") {
      const id = (text: string) => /clabo_id=([0-9a-f]{32})/.exec(text)?.[1];
      who.visitor = id(kept) || newId();
      // For as long as a visit lasts: tests may be for who has never been here.
      if (__SPLITS__ && __WHO__ && (kept.includes("clabo_new") || !id(kept))) cookie("new", "1", 1800);
      cookie("id", who.visitor, 34128000);
      // Cookies may be blocked: then the tab remembers, if it can.
      if (!id(kept) && !id(cookies())) {
        who.visitor = id(`${tab.get("clabo_id")}`) || who.visitor;
        lasts = tab.set("clabo_id", `clabo_id=${who.visitor}`);
      }
      // What brought this visit here, for bridge links on later pages.
      if (/[?&](utm_|sub[1-5]=|\w*clid=)/.test(came)) tab.set("clabo_came", came.slice(0, 1000));
    }
    known = { who, left: kept.includes("clabo_left") };
    return known;
  }

  /** What the visit began with is kept by the tab, and that it is the first by a cookie that lasts as long as a visit. */
  const facts = (): Facts => {
    // Without one, of a name that no host has.
    const host = referrer.split("/")[2];
    // Where the site's own page led here, or nothing says otherwise, the visit goes on. Campaign parameters are kept by now.
    const by =
      (tab.get("clabo_came") !== came && (!host || host === location.host) && tab.get("clabo_b")) || `${came} ${host}`;
    tab.set("clabo_b", by);
    return [device, cookies().includes("clabo_new"), ...(by.split(" ") as [string, string])];
  };

  /** From here on an id may be stored. True where the page is being left for a variant; `late`: it has been seen by now. */
  function open(late?: boolean): unknown {
    opened = true;
    if (__SPLITS__) {
      identify();
      // A split test's redirect hides where the visitor came from: it is handed over to the next page.
      const handed = tab.get("clabo_from");
      if (handed != null) {
        referrer = handed;
        sessionStorage.removeItem("clabo_from");
      }
      // Whoever is another visitor on the next page would see another variant there.
      const touched: string[][] = [];
      const to =
        lasts &&
        route(
          settings,
          who.visitor,
          variants,
          (back) => event("note", undefined, { back }),
          touched,
          ...((__WHO__ ? [facts] : []) as [() => Facts]),
        );
      // Where nothing is touched now, a later page of a single-page site may be.
      if (__CONTENT__ && lasts) need("changes", touched[0] && hold(touched.flat(), late));
      if (to) {
        tab.set("clabo_from", referrer);
        // Nothing of the control may flash by; and nothing is counted here, the visit begins there.
        const { style } = document.documentElement;
        style.visibility = "hidden";
        setTimeout(() => {
          style.visibility = "";
        }, 3000);
        location.replace(to + location.search + location.hash);
        return true;
      }
    }
    queue = makeQueue(settings, identify, cookie, () => {
      need("carry");
      return tag.carry;
    });
    send = queue.add;
    for (const event of held) send(event);
    held = [];
  }

  const refuse = () => {
    opened = false;
    known = undefined;
    who.visitor = "";
    held = [];
    send = nothing;
  };
  if (__MORE__)
    api.consent = guard((given) => {
      if (settings.consent !== "ask") return;
      tried(() => localStorage.setItem("clabo_consent", given ? "1" : "0"));
      if (!given) {
        // Whoever takes it back is taken out wherever their hashed identity went: the last that is ever sent of them.
        const last = who.visitor && made("note");
        if (last)
          tried(() =>
            navigator.sendBeacon(
              `${settings.to}/hit/${settings.key}`,
              JSON.stringify({
                ...who,
                urls: [last.url],
                events: [{ id: last.id, kind: last.kind, page: 0, age: 0, refused: true }],
              }),
            ),
          );
        refuse();
        cookie("id", "", 0);
        cookie("left", "", 0);
        if (__SPLITS__) cookie("new", "", 0);
        tried(() => {
          localStorage.removeItem(`clabo_${settings.key}`);
          sessionStorage.removeItem("clabo_id");
          // Nor that somebody was let into a test.
          for (const name of __SPLITS__ ? Object.keys(localStorage) : [])
            if (/^clabo_[aw]_?[0-9a-f]{8}$/.test(name)) localStorage.removeItem(name);
        });
      } else if (!opened) {
        open(true);
      }
    });

  // However often a page calls: a hundred at once, and one a second from then on.
  let room = 100;
  let filled = Date.now();
  const made = (kind: Sent["kind"], more?: Partial<Sent>): Sent | undefined => {
    const now = Date.now();
    room = Math.min(100, room + (now - filled) / 1000);
    filled = now;
    if (room < 1) return;
    room--;
    return { id: newId(), kind, at: now, url: location.href.slice(0, 2048), ...more };
  };
  const event: Tag["event"] = (kind, element, more) => {
    const one = made(kind, { element, ...more });
    if (one) send(one);
  };

  api.twice = guard(() => event("note", undefined, { twice: true }));
  api.mark = guard((name, properties) => {
    const plain: Record<string, unknown> = {};
    for (const [key, value] of Object.entries(properties || {}).slice(0, 20))
      if (Object(value) !== value) plain[key.slice(0, 60)] = (value as string)?.slice?.(0, 300) ?? value;
    event("mark", undefined, { name: String(name).slice(0, 64), properties: plain });
  });

  // -- parts that only some pages need -----------------------------------------------------------
  const started: Record<string, unknown[]> = {};
  let policy: { createScriptURL: (url: string) => string } | undefined;
  const need = (name: string, early?: unknown) => {
    const waiting = started[name];
    if (waiting) {
      if (early && waiting.length < 20) waiting.push(early);
      return;
    }
    started[name] = early ? [early] : [];
    const failed = () => {
      if (name === "notice") tag.go();
      // Without the part a form that the page takes over is only known to have been tried.
      if (name === "forms") tag.sent = (sent) => setTimeout(guard(() => judge(sent)));
      for (const each of started[name]?.splice(0) ?? []) tried(() => judge(each as Submitted));
      if (name === "carry") delete started[name];
    };
    tried(() => {
      const script = document.createElement("script");
      const url = `${settings.to}/tag/part/${name}.js`;
      policy ??= window.trustedTypes?.createPolicy("clabo", { createScriptURL: (own: string) => own });
      script.onerror = guard(failed);
      script.src = policy ? policy.createScriptURL(url) : url;
      return (ofDocument("head") || document.documentElement).appendChild(script);
    }) || failed();
  };
  const judged = new WeakSet<Element>();
  const judge = ({ form, event: submit, invalid }: Partial<Submitted>) => {
    if (!form || !submit || judged.has(form) || within(form, "[data-clabo-ignore]")) return;
    judged.add(form);
    event(submit.defaultPrevented || invalid ? "tried" : "form", described(form));
  };
  const tag: Tag = {
    settings,
    event,
    viewed: [],
    leaving: [],
    early: [],
    told,
    cookie,
    go: nothing,
    acted: 0,
    refused: (e) => need("forms", e),
    clicked: (path) => need("clicks", path),
    visitor: () => identify()?.who.visitor,
    ...(__SPLITS__ && __WHO__ && { facts }),
    sent: (sent) => need("forms", sent),
  };
  api.part = guard((name, start) => {
    tag.early = started[name]?.splice(0) ?? [];
    start(tag);
  });

  const formEvent = guard((e: Event) => {
    if (e.type === "invalid") {
      // Pages that only look at their fields fire it too: it counts right after somebody has pressed something.
      if (Date.now() - tag.acted < 300) tag.refused(e);
    } else if (fits(e.target, "form")) {
      const form = e.target as HTMLFormElement;
      // Read before the page's own handlers, which may change it.
      tag.sent({ event: e, form, from: location.href, invalid: !!all(form, ":invalid")[0] });
    }
  });
  const heard = new WeakSet<EventTarget>();
  /** Forms inside an open shadow tree fire their events there, and nowhere else. */
  const hear = (root: EventTarget) => {
    if (heard.has(root)) return;
    heard.add(root);
    for (const name of ["submit", "invalid"]) root.addEventListener(name, formEvent, true);
  };

  if (inFrame) {
    // The frame's own page: its forms are told to the page around it, and nothing else happens here.
    send = ({ kind, element }) => parent.postMessage({ clabo: settings.key, kind, element }, "*");
    need("forms");
    return hear(window);
  }
  const begin = () => {
    let last = "";
    let shown = "";
    let from = "";
    let old = "";
    let due: (() => void) | undefined;
    /** What a page says without a script of its own; and a bridge link, which must be ready for the first click. */
    const listen = () => {
      if (all(document.documentElement, `[href^="${settings.to}/to/"]`)[0]) need("clicks");
      all(document.documentElement, "script[data-clabo-mark],[data-clabo-person]").forEach((each) => {
        if (heard.has(each)) return;
        heard.add(each);
        const said = tried(() => JSON.parse(each.textContent || "{}"));
        call([attribute(each, "data-clabo-mark") || said, said]);
      });
    };
    const name = (): string => ofDocument("title") || "";
    // As it was before what is being done at this moment: some pages name themselves before they move, some after.
    let named = name();
    let moving = false;
    // The address was replaced by the page itself: what stood there was a way through, and no view.
    let replaced = false;
    let since = 0;
    const view = () => {
      const { host, pathname, search, hash } = location;
      let here = host + pathname.replace(/\/+$/, "");
      if (__MORE__) {
        const asks = new URLSearchParams(search);
        here += json([settings.meaningful?.map((name) => asks.getAll(name)), settings.fragment && hash]);
      }
      moving = false;
      if (here === last) return;
      const through = replaced && due && tag.acted < since;
      if (!through) {
        due?.();
        from = shown || referrer;
      }
      since = Date.now();
      last = here;
      shown = location.href;
      const one = made("view", {
        referrer: from.slice(0, 2048),
        ...(__SPLITS__ && { variants }),
      });
      // A page may name itself a moment after it has changed.
      let looks = 0;
      let title = "";
      const tell = () => {
        due = undefined;
        if (one) send({ ...one, title: title.slice(0, 300) });
      };
      const look = guard(() => {
        if (due !== tell) return;
        if (!moving) title = name() || title;
        if (title !== old || ++looks > 20) tell();
        else setTimeout(look, 50);
      });
      due = tell;
      look();
      tried(listen);
      for (const each of tag.viewed) tried(() => each(here));
    };
    // What hears clicks and forms costs most of all: it comes once somebody is seen at work. A finger gives no notice.
    if (touch) need("clicks");
    on(
      "pointermove pointerdown keydown",
      () => {
        need("clicks");
        if (document.forms[0]) need("forms");
      },
      { once: true, capture: true, passive: true },
    );
    on("submit invalid", formEvent, true);
    on(
      "click auxclick keydown focusin",
      (e: MouseEvent) => {
        const path = e.composedPath();
        for (const each of path) if (each instanceof ShadowRoot) hear(each);
        // A form that came late, or stands in a shadow tree.
        if (fits(path[0], "form *")) need("forms");
        // What a script does is nobody's act.
        if (!e.isTrusted || e.type === "focusin") return;
        tag.acted = Date.now();
        if (e.type === "click" || e.button === 1) tag.clicked(path);
      },
      true,
    );
    on("message", (e: MessageEvent) => {
      if (e.origin !== location.origin) need("frames", e);
    });

    // Single-page sites change the address without a load.
    const soon = guard((how: "replaceState" | { navigationType?: string | null }) => {
      if (!moving) replaced = how === "replaceState" || how.navigationType === "replace";
      old = named;
      moving = true;
      setTimeout(guard(view), 100);
    });
    for (const name of ["pushState", "replaceState"] as const)
      tried(() => {
        const native = history[name];
        history[name] = function (...args) {
          native.apply(this, args);
          soon(name as "replaceState");
        };
      });
    on("popstate hashchange", soon);
    tried(() => navigation.addEventListener("currententrychange", soon));

    on("pagehide", () => {
      for (const each of tag.leaving) tried(each);
      // The part for forms has not come yet; should it still come, it is not told of them again.
      for (const each of started.forms?.splice(0) ?? []) tried(() => judge(each as Submitted));
      tried(view);
      due?.();
      queue?.leave();
    });
    on("pageshow", (e: PageTransitionEvent) => {
      if (!e.persisted) return;
      queue?.back();
      last = old = "";
      view();
    });
    // `document.open` takes the page away and all listeners with it.
    let root = ofDocument("documentElement");
    tried(() => {
      const watching = new MutationObserver(
        guard(() => {
          named = name();
          const now = ofDocument("documentElement");
          if (!now || now === root) return;
          root = now;
          rearm();
          listen();
        }),
      );
      watching.observe(document, { childList: true });
      watching.observe(ofDocument("head"), { childList: true, subtree: true });
    });

    if (settings.watch) need("watch");
    view();
    const early = before?.q;
    if (Array.isArray(early)) for (const one of early as Mark[]) call(one);
    if (__MORE__ && before?.c !== undefined) api.consent(before.c);
    // Forms come with the body, which may not be there yet.
    on("DOMContentLoaded", listen);
  };
  tag.go = () => {
    const asks = __MORE__ && settings.consent === "ask";
    const decided = asks ? tried(() => localStorage.getItem("clabo_consent")) : "1";
    if (decided === "1" && open()) return true;
    if (asks && decided === "0") refuse();
    begin();
  };
  const ask = () => (told ? need("notice") : tag.go());
  // Nobody sees a page that is made ready beforehand.
  if (ofDocument("prerendering")) document.addEventListener("prerenderingchange", guard(ask), { once: true });
  else return ask();
}

// A kit may hold the page back until it is clear that it stays.
if (!tried(() => run(__SETTINGS__))) tried(() => document.getElementById("clabo-hold")?.remove());

/** The browser tag. Nothing here may ever throw into the page. */
import { clicked } from "./clicks";
import { described, type Submitted, submitted } from "./forms";
import { holds, page } from "./place";
import { type Element, type Known, makeQueue, type Sent, type Who } from "./queue";
import type { Settings } from "./settings";
import { assign } from "./splits";

declare const __SETTINGS__: Settings;
/** Built in where split tests run, and left out elsewhere. */
declare const __SPLITS__: boolean;

type Mark = [name: string, properties?: Record<string, unknown>];

/** What the parts that are loaded on demand are given. */
export interface Tag {
  settings: Settings;
  event: (kind: Sent["kind"], element?: Element, more?: Partial<Sent>) => void;
  /** Called at every view, the page's own included. */
  viewed: ((address: string) => void)[];
  /** What happened before the part was there. */
  early: unknown[];
  /** Called at every form that is sent; the part for forms takes it over. */
  sent: (sent: Submitted) => unknown;
  described: typeof described;
  /** What the address asked to be told. */
  told?: string;
}

interface Api {
  q?: Mark[];
  /** The consent that was given before the tag was there. */
  c?: boolean;
  on?: number;
  twice?: () => void;
  part?: (name: string, start: (tag: Tag) => void) => void;
  mark: (...call: Mark) => void;
  consent: (given: boolean) => void;
}
declare global {
  interface Window {
    clabo?: Api;
  }
  interface Navigator {
    globalPrivacyControl?: boolean;
  }
  interface Document {
    prerendering?: boolean;
  }
}

/** Reads or writes where it may be forbidden. */
function tried<T>(what: () => T): T | undefined {
  try {
    return what();
  } catch {
    return undefined;
  }
}

function run(settings: Settings) {
  const before = window.clabo;
  if (before?.on) {
    before.twice?.();
    return;
  }
  const api: Api = { on: 1, mark: () => {}, consent: () => {} };
  window.clabo = api;
  // The visitor asks not to be followed: nothing is stored and nothing is sent.
  if (navigator.globalPrivacyControl) return;

  const inFrame = parent !== window && (document.currentScript as HTMLElement | null)?.dataset.claboFrame !== undefined;
  // The one call is quicker, but is there on https only.
  const newId = () =>
    crypto.randomUUID?.().replace(/-/g, "") ||
    Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, "0")).join("");

  const secure = location.protocol === "https:" ? ";secure" : "";
  const cookie = (name: string, value: string, seconds: number) => {
    // biome-ignore lint/suspicious/noDocumentCookie: the Cookie Store API is missing in some browsers.
    document.cookie = `clabo_${name}=${value};path=/;max-age=${seconds};samesite=lax${secure}`;
  };
  // Own visits and rehearsals: the link says so once, and the browser or the tab remembers. Storage is slow to open:
  // whether there is anything to look up stands in a cookie.
  // Whatever is not needed on most pages is asked for in the cheapest way: the first use of anything costs.
  // The page may tidy its address before the first sending.
  const came = location.search;
  const asked = came ? /[?&]clabo=([\w-]+)/.exec(came)?.[1] : undefined;
  const token = asked && /^rehearse-([0-9a-z]{8,32})$/.exec(asked)?.[1];
  if (asked === "own") cookie("own", "1", 34128000);
  if (asked === "not-own") cookie("own", "", 0);
  if (token) {
    cookie("rehearsing", "1", 86400);
    tried(() => sessionStorage.setItem("clabo_rehearsal", token));
  }
  if (asked === "end-rehearsal") tried(() => sessionStorage.removeItem("clabo_rehearsal"));

  let referrer = document.referrer;
  const touch = navigator.maxTouchPoints > 0 && matchMedia("(pointer: coarse)").matches;
  const device = touch ? (Math.min(screen.width, screen.height) < 600 ? "phone" : "tablet") : "desktop";
  const who: Who = { visitor: "", device };
  const variants: Record<string, string> = {};
  // Until consent is given or refused; then the queue, or nothing.
  let held: Sent[] = [];
  let send: (event: Sent) => void = (event) => held.push(event);
  // An id may be stored.
  let opened = false;
  let known: Known | undefined;
  /** The first look at a page's cookies is slow: it waits for the first sending, unless a split test has to know. */
  function identify(): Known | undefined {
    if (known || !opened) return known;
    const kept = document.cookie;
    if (kept.includes("clabo_own=1")) who.own = true;
    if (kept.includes("clabo_rehearsing"))
      who.rehearsal = tried(() => sessionStorage.getItem("clabo_rehearsal")) || undefined;
    if (settings.consent !== "nameless") {
      who.visitor = (kept && /(?:^|; )clabo_id=([0-9a-f]{32})/.exec(kept)?.[1]) || newId();
      cookie("id", who.visitor, 34128000);
      // What brought this visit here, for bridge links on later pages.
      if (came && /[?&](utm_|sub[1-5]=|\w*clid=)/.test(came))
        tried(() => sessionStorage.setItem("clabo_came", came.slice(0, 1000)));
    }
    known = { who, left: kept.includes("clabo_left") };
    return known;
  }

  /** From here on an id may be stored. True where the page is being left for a variant. */
  function open() {
    opened = true;
    if (__SPLITS__ && settings.tests.length && settings.consent !== "nameless") {
      identify();
      // A split test's redirect hides where the visitor came from: it is handed over to the next page.
      if (referrer.startsWith(location.origin))
        tried(() => {
          const handed = sessionStorage.getItem("clabo_from");
          if (handed !== null) {
            referrer = handed;
            sessionStorage.removeItem("clabo_from");
          }
        });
      const here = page({ ...settings, fragment: false }, location);
      for (const test of settings.tests) {
        const chosen = assign(who.visitor, test);
        const control = test.variants[0];
        if (chosen && chosen.host === here.host && chosen.path === here.path) variants[test.key] = chosen.letter;
        else if (chosen && control && control.host === here.host && control.path === here.path) {
          tried(() => sessionStorage.setItem("clabo_from", referrer));
          // Nothing of the control may flash by; and nothing is counted here, the visit begins there.
          document.documentElement.style.visibility = "hidden";
          location.replace(location.origin + chosen.path + location.search + location.hash);
          return true;
        }
      }
    }
    const queue = makeQueue(settings, identify, cookie);
    for (const event of held) queue(event);
    held = [];
    send = queue;
    return false;
  }

  // Before the queue's own listener, which sends what there is: the page is left before the part for forms has come.
  addEventListener("pagehide", () =>
    tried(() => {
      for (const { element, invalid } of (started.forms ?? []) as Partial<Submitted>[])
        if (element && !invalid) event("form", element);
    }),
  );
  const decided = settings.consent === "ask" ? tried(() => localStorage.getItem("clabo_consent")) : "1";
  if (!inFrame && decided === "1" && open()) return;
  const refuse = () => {
    opened = false;
    known = undefined;
    who.visitor = "";
    held = [];
    send = () => {};
  };
  if (decided === "0") refuse();
  api.consent = (given) => {
    if (settings.consent !== "ask") return;
    tried(() => localStorage.setItem("clabo_consent", given ? "1" : "0"));
    if (!given) {
      refuse();
      cookie("id", "", 0);
      cookie("left", "", 0);
      tried(() => localStorage.removeItem(`clabo_${settings.key}`));
    } else if (!opened) {
      open();
    }
  };

  // However often a page calls: a hundred at once, and one a second from then on.
  let room = 100;
  let filled = Date.now();
  const event: Tag["event"] = (kind, element, more) => {
    const now = Date.now();
    room = Math.min(100, room + (now - filled) / 1000);
    filled = now;
    if (room < 1) return;
    room--;
    send({ id: newId(), kind, at: now, url: location.href.slice(0, 2048), ...(element && { element }), ...more });
  };

  // -- parts that only some pages need -----------------------------------------------------------
  const started: Record<string, unknown[]> = {};
  const viewed: Tag["viewed"] = [];
  const need = (name: string, early?: unknown) => {
    const waiting = started[name];
    if (waiting) {
      if (early && waiting.length < 20) waiting.push(early);
      return;
    }
    started[name] = early ? [early] : [];
    const script = document.createElement("script");
    script.async = true;
    script.src = `${settings.to}/tag/part/${name}.js`;
    document.head.append(script);
  };
  const tag = {
    settings,
    event,
    viewed,
    described,
    told: asked,
    sent: (sent: Submitted) => sent.form.closest("[data-clabo-ignore]") || need("forms", sent),
  };
  api.part = (name, start) => tried(() => start(Object.assign(tag, { early: started[name]?.splice(0) ?? [] })));

  if (inFrame) {
    // The frame's own page: its forms are told to the page around it, and nothing else happens here.
    send = ({ kind, element }) => parent.postMessage({ clabo: settings.key, kind, element }, "*");
    need("forms");
    addEventListener("submit", (e) => tried(() => tag.sent(submitted(e))), true);
    return;
  }

  let last = "";
  const address = () => (settings.fragment ? location.href : location.href.replace(/#.*/, ""));
  // What watches forms costs most of all: it comes once somebody is seen at work on a page that has one.
  let attending = false;
  const attend = (at?: Event) => {
    // Somebody moves, points or types.
    if (at) need("forms");
    if (attending) return;
    attending = true;
    for (const sign of ["pointermove", "pointerdown", "keydown"])
      addEventListener(sign, attend, { once: true, capture: true, passive: true });
    addEventListener("submit", (e) => tried(() => tag.sent(submitted(e))), true);
    addEventListener("invalid", (e) => started.forms && need("forms", e), true);
  };
  const listen = () => {
    if (document.forms.length) attend();
    if (settings.watch?.some((w) => holds(settings, w.where, location))) need("watch");
  };
  const view = () => {
    const here = address();
    if (here === last) return;
    const came = last || referrer;
    last = here;
    event("view", undefined, {
      title: document.title.slice(0, 300),
      referrer: came.slice(0, 2048),
      ...(__SPLITS__ && Object.keys(variants).length && { variants }),
    });
    tried(listen);
    for (const each of viewed) each(here);
  };
  api.twice = () => event("note", undefined, { twice: true });
  api.mark = (name, properties) => {
    tried(() => {
      const plain: Record<string, unknown> = {};
      for (const [key, value] of Object.entries(properties || {}).slice(0, 20)) {
        if (value === null || /^(string|number|boolean)$/.test(typeof value))
          plain[key.slice(0, 60)] = typeof value === "string" ? value.slice(0, 300) : value;
      }
      event("mark", undefined, { name: String(name).slice(0, 64), properties: plain });
    });
  };
  if (asked) need("notice");

  addEventListener(
    "click",
    (e) => tried(() => clicked(e, settings, identify()?.who.visitor ?? "", (element) => event("click", element))),
    true,
  );
  addEventListener("focusin", (e) => tried(() => (e.target as HTMLInputElement).form && attend(e)), true);
  addEventListener("message", (e) => {
    if (e.origin !== location.origin && e.source && e.source !== window) need("frames", e);
  });

  // Single-page sites change the address without a load. The title follows a moment later.
  const soon = () => setTimeout(view, 50);
  for (const name of ["pushState", "replaceState"] as const) {
    tried(() => {
      const native = history[name];
      history[name] = function (...args) {
        native.apply(this, args);
        soon();
      };
    });
  }
  addEventListener("popstate", soon);
  addEventListener("hashchange", soon);

  const begin = () => {
    view();
    for (const call of before?.q || []) api.mark(...call);
    if (before?.c !== undefined) api.consent(before.c);
  };
  if (document.prerendering) document.addEventListener("prerenderingchange", begin, { once: true });
  // In the head the title may not be there yet.
  else if (document.title || document.readyState !== "loading") begin();
  else document.addEventListener("DOMContentLoaded", begin, { once: true });
  // Forms come with the body, which may not be there yet either.
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", () => tried(listen));
}

try {
  run(__SETTINGS__);
} catch {}

/** The browser tag. Nothing here may ever throw into the page. */
import { makeQueue, type Sent } from "./queue";
import type { Settings } from "./settings";
import { assign, shows } from "./splits";

declare const __SETTINGS__: Settings;

type Mark = [name: string, properties?: Record<string, unknown>];
interface Api {
  q?: Mark[];
  on?: number;
  twice?: () => void;
  mark: (...call: Mark) => void;
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

function run(settings: Settings) {
  const early = window.clabo;
  if (early?.on) {
    early.twice?.();
    return;
  }
  const api: Api = { on: 1, mark: () => {} };
  window.clabo = api;
  // The visitor asks not to be followed: nothing is stored and nothing is sent.
  if (navigator.globalPrivacyControl) return;

  const newId = () =>
    Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, "0")).join("");
  const visitor = /(?:^|; )clabo_id=([0-9a-f]{32})/.exec(document.cookie)?.[1] ?? newId();
  const secure = location.protocol === "https:" ? ";secure" : "";
  // biome-ignore lint/suspicious/noDocumentCookie: the Cookie Store API is missing in some browsers.
  document.cookie = `clabo_id=${visitor};path=/;max-age=34128000;samesite=lax${secure}`;

  // A split test's redirect hides where the visitor came from: it is handed over to the next page.
  let referrer = document.referrer;
  const variants: Record<string, string> = {};
  try {
    const handed = sessionStorage.getItem("clabo_from");
    if (handed !== null) {
      referrer = handed;
      sessionStorage.removeItem("clabo_from");
    }
  } catch {}
  for (const test of settings.tests) {
    const chosen = assign(visitor, test);
    if (!chosen) continue;
    const control = test.variants[0];
    if (shows(chosen, location, settings.stand)) variants[test.key] = chosen.letter;
    else if (control && shows(control, location, settings.stand)) {
      try {
        sessionStorage.setItem("clabo_from", referrer);
      } catch {}
      // Nothing of the control may flash by; and nothing is counted here, the visit begins there.
      document.documentElement.style.visibility = "hidden";
      location.replace(location.origin + chosen.path + location.search + location.hash);
      return;
    }
  }

  const touch = matchMedia("(pointer: coarse)").matches;
  const device = touch ? (Math.min(screen.width, screen.height) < 600 ? "phone" : "tablet") : "desktop";
  const send = makeQueue(settings, visitor, device);

  let last = "";
  const event = (kind: Sent["kind"], more: Partial<Sent>) =>
    send({ id: newId(), kind, at: Date.now(), url: location.href.slice(0, 2048), ...more });
  const address = () => (settings.fragment ? location.href : location.href.replace(/#.*/, ""));
  const view = () => {
    const here = address();
    if (here === last) return;
    const came = last || referrer;
    last = here;
    event("view", {
      title: document.title.slice(0, 300),
      referrer: came.slice(0, 2048),
      ...(Object.keys(variants).length && { variants }),
    });
  };
  api.twice = () => event("note", { twice: true });
  api.mark = (name, properties) => {
    try {
      const plain: Record<string, unknown> = {};
      for (const [key, value] of Object.entries(properties || {}).slice(0, 20)) {
        if (value === null || /^(string|number|boolean)$/.test(typeof value))
          plain[key.slice(0, 60)] = typeof value === "string" ? value.slice(0, 300) : value;
      }
      event("mark", { name: String(name).slice(0, 64), properties: plain });
    } catch {}
  };

  // Single-page sites change the address without a load. The title follows a moment later.
  const soon = () => setTimeout(view, 50);
  for (const name of ["pushState", "replaceState"] as const) {
    const own = history[name];
    history[name] = function (...args) {
      own.apply(this, args);
      soon();
    };
  }
  addEventListener("popstate", soon);
  addEventListener("hashchange", soon);

  const begin = () => {
    view();
    for (const call of early?.q || []) api.mark(...call);
  };
  if (document.prerendering) document.addEventListener("prerenderingchange", begin, { once: true });
  // In the head the title may not be there yet.
  else if (document.title || document.readyState !== "loading") begin();
  else document.addEventListener("DOMContentLoaded", begin, { once: true });
}

try {
  run(__SETTINGS__);
} catch {}

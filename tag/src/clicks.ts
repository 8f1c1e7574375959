/** What was clicked: links, and what is a button. Never what a visitor entered. */
import { holds } from "./place";
import type { Element } from "./queue";
import type { Settings } from "./settings";

const FILE = /\.(pdf|zip|docx?|xlsx?|pptx?|csv|epub|mp[34]|dmg|exe)$/i;
const ACTS = "a[href],button,input[type=submit],input[type=button],[role=button],summary,[data-clabo-click]";

/** A bridge link learns who follows it, from which page, and what brought the visit here. */
function bridged(link: HTMLAnchorElement, settings: Settings, visitor: string) {
  if (!link.href.startsWith(`${settings.to}/to/`)) return;
  const url = new URL(link.href);
  const asks = url.searchParams;
  if (visitor) asks.set("clabo_v", visitor);
  asks.set("clabo_p", location.origin + location.pathname);
  for (const [name, value] of new URLSearchParams(sessionStorage.getItem("clabo_came") ?? location.search))
    if (/^(utm_\w+|sub[1-5]|\w*clid)$/.test(name) && !asks.has(name)) asks.set(name, value);
  link.href = url.href;
}

export function clicked(e: MouseEvent, settings: Settings, visitor: string, tell: (element: Element) => void) {
  const from = e.composedPath()[0] as HTMLElement | undefined;
  if (!from?.closest || from.closest("[data-clabo-ignore]")) return;
  const fits: string[] = [];
  let on: HTMLElement | null = null;
  for (const asked of settings.clicks ?? []) {
    // A selector that the browser cannot read fits nothing.
    try {
      const found = from.closest<HTMLElement>(asked.selector);
      if (found && holds(settings, asked.where, location)) {
        on ??= found;
        fits.push(asked.selector);
      }
    } catch {}
  }
  const acting = from.closest<HTMLElement>(ACTS) ?? on;
  if (!acting) return;
  if (acting instanceof HTMLAnchorElement) bridged(acting, settings, visitor);
  let what = "button";
  let to = "";
  if (acting instanceof HTMLAnchorElement) {
    to = acting.protocol.startsWith("http") ? acting.host + acting.pathname : acting.href.split("?")[0] || "";
    if (acting.protocol === "tel:") what = "phone";
    else if (acting.protocol === "mailto:") what = "mail";
    else if (acting.hasAttribute("download") || FILE.test(acting.pathname)) what = "file";
    else if (to !== acting.href.split("?")[0])
      what = settings.hosts.includes(acting.host) || acting.host === location.host ? "link" : "outbound";
  }
  const said = acting.dataset.claboClick || acting.getAttribute("aria-label") || acting.textContent || "";
  tell({
    id: (acting.getAttribute("id") || "").slice(0, 200),
    what,
    text: (said.trim() ? said : acting.getAttribute("value") || "").trim().replace(/\s+/g, " ").slice(0, 80),
    to: to.slice(0, 300),
    ...(fits.length && { fits }),
  });
}

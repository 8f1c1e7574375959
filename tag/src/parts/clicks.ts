/** What was clicked: links, and what is a button. Never what a visitor entered. */
import { holds } from "../place";
import { absolute, all, attribute, fits, tab, tried } from "../safe";
import type { Settings } from "../settings";
import { measure } from "../speed";
import type { Tag } from "../tag";

const FILE = /\.(pdf|zip|docx?|xlsx?|pptx?|csv|epub|mp[34]|dmg|exe)$/i;
// A link in a drawing has its address in a namespace of its own, or in none.
const LINK = "a[href],area[href],a[*|href]";
const ACTS = `${LINK},button,input[type=submit],input[type=button],input[type=image],[role=button],summary,[data-clabo-click]`;

const address = (link: Element) => absolute(attribute(link, "href") || attribute(link, "xlink:href"));

/** A bridge link learns who follows it, from which page, and what brought the visit here. */
function bridged(link: Element, url: URL, settings: Settings, visitor?: string) {
  if (!url.href.startsWith(`${settings.to}/to/`)) return;
  const asks = url.searchParams;
  if (visitor) asks.set("clabo_v", visitor);
  asks.set("clabo_p", location.origin + location.pathname);
  new URLSearchParams(tab.get("clabo_came") ?? location.search).forEach((value, name) => {
    if (/^(utm_\w+|sub[1-5]|\w*clid)$/.test(name) && !asks.has(name)) asks.set(name, value);
  });
  link.setAttribute("href", url.href);
}

/** `path`: what the event passed through, the innermost first, also inside shadow trees. */
function clicked({ settings, event, visitor }: Tag, path: EventTarget[]) {
  if (path.some((each) => fits(each, "[data-clabo-ignore]"))) return;
  const fitting: string[] = [];
  let on: unknown;
  // A selector that the browser cannot read fits nothing.
  for (const { selector, where } of settings.clicks ?? [])
    tried(() => {
      const found = path.find((each) => fits(each, selector));
      if (found && holds(settings, where, location)) {
        on ??= found;
        fitting.push(selector);
      }
    });
  const acting = (path.find((each) => fits(each, ACTS)) ?? on) as Element | undefined;
  if (!acting) return;
  const url = fits(acting, LINK) ? tried(() => address(acting)) : undefined;
  let what = "button";
  let to = "";
  if (url) {
    tried(() => bridged(acting, url, settings, visitor()));
    const web = /^http/.test(url.protocol);
    to = web ? url.host + url.pathname : url.href.split("?")[0] || "";
    if (url.protocol === "tel:") what = "phone";
    else if (url.protocol === "mailto:") what = "mail";
    else if (acting.hasAttribute("download") || FILE.test(url.pathname)) what = "file";
    else if (web) what = settings.hosts.includes(url.host) || url.host === location.host ? "link" : "outbound";
  }
  const picture = all(acting, "img[alt],[aria-label]")[0];
  const words = [
    attribute(acting, "data-clabo-click"),
    attribute(acting, "aria-label"),
    acting.textContent,
    picture && (attribute(picture, "alt") || attribute(picture, "aria-label")),
    attribute(acting, "alt"),
    attribute(acting, "title"),
    attribute(acting, "value"),
  ].find((text) => text?.trim());
  event("click", {
    id: attribute(acting, "id").slice(0, 200),
    what,
    text: (words || "").trim().replace(/\s+/g, " ").slice(0, 80),
    to: to.slice(0, 300),
    ...(fitting[0] && { fits: fitting }),
  });
}

window.clabo?.part?.("clicks", (tag) => {
  tag.clicked = (path) => clicked(tag, path);
  for (const path of tag.early as EventTarget[][]) tried(() => clicked(tag, path));
  tried(() => measure(tag));
});

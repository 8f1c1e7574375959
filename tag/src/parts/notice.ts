/** Says in the page's corner what the address has just asked for: own visits, or a rehearsal. */
import type { Tag } from "../tag";

const SAID: Record<string, string> = {
  own: "This browser is now marked as your own. Its visits show in Live and are counted nowhere.",
  "not-own": "This browser is no longer marked as your own. Its visits count from now on.",
  "end-rehearsal": "The rehearsal is over in this tab. Its visits count from now on.",
};

function start({ told }: Tag) {
  const text = told?.startsWith("rehearse-")
    ? "Rehearsal: what you do in this tab is checked in Clabo and counted nowhere."
    : SAID[told ?? ""];
  if (!text) return;
  const place = document.createElement("div");
  const box = place.attachShadow({ mode: "open" }).appendChild(document.createElement("div"));
  box.setAttribute("role", "status");
  box.style.cssText =
    "position:fixed;z-index:2147483647;left:12px;bottom:12px;max-width:320px;padding:10px 14px;background:#211d2b;" +
    "color:#faf7f1;font:15px/1.4 sans-serif;border-radius:4px";
  box.textContent = text;
  document.documentElement.append(place);
  setTimeout(() => place.remove(), 8000);
}

window.clabo?.part?.("notice", start);

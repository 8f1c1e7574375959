/** What the address has just asked for: own visits, a rehearsal, a look at a variant, or to write one. Does it, and says so in the page's corner. */
import { Keeper } from "../changing/keeping";
import { watch } from "../changing/watching";
import { guard, ofDocument, tab, tried } from "../safe";
import type { Change } from "../settings";
import type { Tag } from "../tag";

const SAID: Record<string, string> = {
  own: "This browser is now marked as your own. Its visits show in Live and are counted nowhere.",
  "not-own": "This browser is no longer marked as your own. Its visits count from now on.",
  "end-rehearsal": "The rehearsal is over in this tab. Its visits count from now on.",
};
const YEAR = 34128000;

/** Storage is slow to open: whether there is a rehearsal to look up stands in a cookie. */
function done({ told = "", cookie }: Tag) {
  if (told === "own") cookie("own", "1", YEAR);
  if (told === "not-own") cookie("own", "", 0);
  if (told === "end-rehearsal") tried(() => sessionStorage.removeItem("clabo_rehearsal"));
  const token = /^rehearse-([0-9a-z]{8,32})$/.exec(told)?.[1];
  if (!token) return SAID[told];
  cookie("rehearsing", "1", 86400);
  tab.set("clabo_rehearsal", token);
  return "Rehearsal: what you do in this tab is checked in Clabo and counted nowhere.";
}

function say(text: string) {
  const place = document.createElement("div");
  const box = place.attachShadow({ mode: "open" }).appendChild(document.createElement("div"));
  box.setAttribute("role", "status");
  box.style.cssText =
    "position:fixed;z-index:2147483647;left:12px;bottom:12px;max-width:320px;padding:10px 14px;background:#211d2b;" +
    "color:#faf7f1;font:15px/1.4 sans-serif;border-radius:4px";
  box.textContent = text;
  ofDocument("documentElement").append(place);
  setTimeout(() => place.remove(), 8000);
}

/** A variant as it would be. The tag itself does nothing on this page, so that nothing is counted. */
async function look({ settings }: Tag, token: string) {
  const answer = await fetch(`${settings.to}/look/${token}.json`, { credentials: "omit" });
  const said: { name: string; letter: string; changes: Change[]; detail?: string } = await answer.json();
  if (!answer.ok) return say(String(said.detail));
  const made = () => {
    keeper.keep();
    watching.quiet();
  };
  const keeper = new Keeper(said.changes, made);
  const watching = watch(made);
  made();
  say(`You see ${said.letter} of “${said.name}”. Nothing on this page is counted.`);
}

/** Loaded for whoever writes a variant on the page, and for nobody else. */
function editor({ settings }: Tag) {
  const script = document.createElement("script");
  const url = `${settings.to}/tag/part/editor.js`;
  const policy = window.trustedTypes?.createPolicy("clabo-editor", { createScriptURL: (own: string) => own });
  script.src = policy ? policy.createScriptURL(url) : url;
  script.onerror = guard(() => say("The page’s own policy keeps the editor out. Write the variant in Clabo."));
  ofDocument("head").append(script);
}

window.clabo?.part?.("notice", (tag) => {
  if (/^edit-/.test(tag.told ?? "")) {
    tried(() => editor(tag));
    return;
  }
  const token = /^look-([\w-]+)$/.exec(tag.told ?? "")?.[1];
  if (token) {
    tried(() => look(tag, token).catch(guard(() => say("This variant cannot be had. Take a new link in Clabo."))));
    return;
  }
  const text = tried(() => done(tag));
  tag.go();
  if (text) say(text);
});

/** Addresses compared the way the server stores pages (clabo/core/addresses.py), as far as the tag needs it. */
import type { Settings, Where } from "./settings";

export function page(settings: Settings, at: Location) {
  const host = at.host.toLowerCase();
  const path = at.pathname.length > 1 ? at.pathname.replace(/\/+$/, "") || "/" : "/";
  return { host: settings.stand?.[host] ?? host, path: path + (settings.fragment ? at.hash : "") };
}

export function holds(settings: Settings, where: Where[] | undefined, at: Location) {
  const here = page(settings, at);
  return (where ?? []).every(({ match, value }) => {
    const subject = value[0] === "/" ? here.path : here.host + here.path;
    if (match === "equals") return subject === value;
    return match === "begins" ? subject.startsWith(value) : (here.host + here.path).includes(value);
  });
}

/** Addresses compared the way the server stores pages (clabo/core/pages/addresses.py); see page-vectors.json. */
import type { Settings, Where } from "./settings";

const encoded = (text: string) =>
  encodeURIComponent(text).replace(/[!'()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`);

// What a browser leaves in a path and the server does not.
const ODD = /[[\]|^"<>`{}\\ ]/g;

export interface Place {
  host: string;
  pathname: string;
  search: string;
  hash: string;
}

/** The page that an address shows: host, and path with what tells pages apart on this site. */
export function page(settings: Settings, at: Place) {
  const host = at.host.toLowerCase().replace(/\.(?=:|$)/, "");
  let path = at.pathname
    .replace(/%([0-9a-f]{2})/gi, (same, code) => {
      const c = String.fromCharCode(Number.parseInt(code, 16));
      return /[\w.~-]/.test(c) ? c : same.toUpperCase();
    })
    .replace(ODD, encoded)
    .replace(/\/+$/, "");
  path ||= "/";
  const kept: string[] = [];
  if (settings.meaningful && at.search)
    new URLSearchParams(at.search).forEach((value, name) => {
      if (settings.meaningful?.includes(name)) kept.push(`${name}\0${value}`);
    });
  const escaped = kept.sort().map((pair) => pair.split("\0").map(encoded).join("="));
  if (kept.length) path += `?${escaped.join("&")}`;
  if (settings.fragment) path += at.hash.replace(ODD, encoded);
  return { host: settings.stand?.[host] ?? host, path };
}

export function holds(settings: Settings, where: Where[] | undefined, at: Place) {
  const here = page(settings, at);
  return (where ?? []).every(({ match, value }) => {
    const subject = value[0] === "/" ? here.path : here.host + here.path;
    if (match === "equals") return subject === value;
    return match === "begins" ? subject.startsWith(value) : (here.host + here.path).includes(value);
  });
}

/** Events on their way out. What no answer has been seen for stays in storage and is sent again. */
import type { Kind } from "./kinds.gen";
import { guard, json, on, tried } from "./safe";
import type { Settings } from "./settings";

export interface Element {
  id?: string;
  name?: string;
  action?: string;
  fields?: string[];
  what?: string;
  text?: string;
  to?: string;
  fits?: string[];
  selector?: string;
  origin?: string;
  keys?: Record<string, string>;
  values?: Record<string, string>;
}

export interface Sent {
  id: string;
  kind: Kind;
  /** This browser's clock; only differences of it are ever sent. */
  at: number;
  url: string;
  title?: string;
  referrer?: string;
  name?: string;
  properties?: Record<string, unknown>;
  variants?: Record<string, string>;
  twice?: boolean;
  /** A split test whose variant led back to its control. */
  back?: string;
  /** Split tests whose page has no element for a selector, and which one. */
  hindered?: Record<string, [why: string, place: number]>;
  element?: Element;
  reached?: number;
  /** Hashes of who the page says it is. */
  person?: Record<string, string>;
}

/** What is said of the visitor with every request. */
export interface Who {
  visitor: string;
  device: string;
  own?: true;
  rehearsal?: string;
}

/** Who it is; and whether an earlier page left something that it could not send. */
export interface Known {
  who: Who;
  left: boolean;
}

/** Sends a body; whether the collector itself has answered for good. */
export type Carry = (body: string) => Promise<boolean>;

declare const __MORE__: boolean;

const DAY = 864e5;
export const MOST = 50;
/** Bytes of a request: under the collector's 64 KB, and under what browsers let a page send while it is left. */
export const ROOM = 48_000;
/** Events kept for another page. */
const KEPT = 200;

/**
 * By a `fetch`, which a page may have replaced. Only the collector's own answer carries its name: a service worker's is
 * none. A refusal is final (the same again would be refused again); an error of the server is not.
 */
export const carry =
  (by: () => typeof fetch, to: string): Carry =>
  async (body) => {
    // Browsers let little be under way when a page is left.
    const keepalive = body.length < 3e4;
    const answer = await by()(to, { method: "POST", body, keepalive, credentials: "omit" });
    return !!answer.headers.get("clabo") && answer.status < 500 && answer.status !== 429;
  };

/** As many of the first of `waiting` as fit into one request, and its body; none where the very first does not. */
export function batch(waiting: Sent[], who: Who | undefined, dropped: number, now: number) {
  for (let most = MOST; most; most >>= 1) {
    const some = waiting.slice(0, most);
    const urls: string[] = [];
    const events = some.map(({ at, url, ...said }) => {
      const known = urls.indexOf(url);
      return { ...said, page: known < 0 ? urls.push(url) - 1 : known, age: Math.max(0, now - at) };
    });
    const body = json({ ...who, dropped: dropped || undefined, urls, events });
    if (some[0] && body.length < ROOM) return { some, body };
  }
  return { some: [], body: "" };
}

/**
 * `identify` gives nothing once consent was taken back: then all is dropped. `mark` writes a cookie `clabo_<name>`; the
 * one named "left" says that something could not be sent. `failed` is told of each sending that came to nothing, and may
 * give another way.
 */
export function makeQueue(
  settings: Settings,
  identify: () => Known | undefined,
  mark: (name: string, value: string, seconds: number) => void,
  failed: () => Carry | undefined,
) {
  const place = `clabo_${settings.key}`;
  const to = `${settings.to}/hit/${settings.key}`;
  let way = carry(() => fetch, to);
  let waiting: Sent[] = [];
  let lost = 0;
  let timer = 0;
  let busy: object | undefined;
  let pause = 1000;
  let leaving = false;
  // Only what could not be sent is written down, and a cookie says that there is something: opening storage takes
  // longer than all else here.
  let written = false;
  let looked = false;

  /** What could not be sent before is there, and what may not be sent any more is not. */
  const look = () => {
    const known = identify();
    if (known?.left && !looked) {
      written = true;
      const left = tried(() => JSON.parse(localStorage.getItem(place) || ""));
      if (Array.isArray(left)) waiting = [...left.filter((e) => e?.url), ...waiting];
    }
    looked = true;
    waiting = known ? waiting.filter((event) => Date.now() - event.at < DAY) : [];
  };
  // Where nothing may be stored, what could not be sent is lost with the page.
  const keep = () => {
    if ((__MORE__ && settings.consent === "nameless") || !(written || waiting[0])) return;
    written = !!waiting[0];
    tried(() => localStorage.setItem(place, json(waiting.slice(-KEPT))));
    mark("left", "1", written ? 86400 : 0);
  };
  const later = (wait: number) => {
    clearTimeout(timer);
    timer = setTimeout(() => tried(flush), wait) as unknown as number;
  };
  const taken = (some: Sent[]) => {
    waiting = waiting.filter((event) => !some.includes(event));
  };
  const next = () => {
    for (;;) {
      const made = batch(waiting, identify()?.who, lost, Date.now());
      if (made.body || !waiting.shift()) return made;
      // Too large to be sent at all.
      lost++;
    }
  };

  function flush() {
    look();
    if (busy || !waiting[0]) return;
    const { some, body } = next();
    if (!body) return;
    const mine = {};
    busy = mine;
    const done = (gone?: boolean) => {
      // Answered after it was given up: what is known now is known.
      if (gone) taken(some);
      if (busy !== mine) return;
      busy = undefined;
      if (gone) {
        lost = 0;
        pause = 1000;
        if (written) keep();
      } else {
        way = failed() || way;
        pause = Math.min(pause * 2, 6e4);
        keep();
      }
      if (waiting[0]) later(gone ? 0 : pause);
    };
    way(body).then(
      guard(done),
      guard(() => done()),
    );
    // A page's own fetch may never answer.
    setTimeout(
      guard(() => done()),
      15e3,
    );
  }
  on("online", () => later(0));

  return {
    add(event: Sent) {
      waiting.push(event);
      // Said by a listener that came after the last sending.
      if (leaving) keep();
      later(20);
    },
    /** The page is being left: all that fits goes now, and stays written down until an answer has been seen. */
    leave() {
      leaving = true;
      look();
      const { body } = next();
      if (body) tried(() => navigator.sendBeacon(to, body));
      keep();
    },
    /** It has come back as it was. */
    back() {
      leaving = false;
      later(20);
    },
  };
}

/** Events on their way out. What was not accepted stays in storage and is tried again. */
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
  kind: "view" | "mark" | "note" | "form" | "tried" | "click" | "message" | "shown" | "stay" | "scroll";
  /** This browser's clock; only differences of it are ever sent. */
  at: number;
  url: string;
  title?: string;
  referrer?: string;
  name?: string;
  properties?: Record<string, unknown>;
  variants?: Record<string, string>;
  twice?: boolean;
  element?: Element;
  reached?: number;
}

/** What is said of the visitor with every request. */
export interface Who {
  visitor: string;
  device: string;
  own?: true;
  rehearsal?: string;
}

const DAY = 864e5;
const MOST = 50;

export function makeQueue(settings: Settings, who: Who) {
  const place = `clabo_${settings.key}`;
  let waiting: Sent[] = [];
  let timer = 0;
  let busy = false;
  let pause = 1000;
  // Where nothing may be stored, what could not be sent is lost with the page.
  const stores = settings.consent !== "nameless";

  const keep = () => {
    if (!stores) return;
    try {
      if (waiting.length) localStorage.setItem(place, JSON.stringify(waiting.slice(-200)));
      else localStorage.removeItem(place);
    } catch {}
  };

  const body = (events: Sent[]) =>
    JSON.stringify({
      ...who,
      viewport: [innerWidth, innerHeight],
      events: events.map(({ at, ...event }) => ({ ...event, age: Math.max(0, Date.now() - at) })),
    });

  const later = (wait: number) => {
    clearTimeout(timer);
    timer = setTimeout(flush, wait) as unknown as number;
  };

  function flush() {
    waiting = waiting.filter((event) => Date.now() - event.at < DAY);
    if (busy || !waiting.length) return;
    const some = waiting.slice(0, MOST);
    busy = true;
    const done = (gone: boolean) => {
      busy = false;
      if (gone) {
        waiting = waiting.filter((event) => !some.includes(event));
        pause = 1000;
      } else pause = Math.min(pause * 2, 6e4);
      keep();
      if (waiting.length) later(gone ? 0 : pause);
    };
    fetch(`${settings.to}/hit/${settings.key}`, {
      method: "POST",
      body: body(some),
      keepalive: true,
      credentials: "omit",
      // A refusal is final (the same again would be refused again); an error of the server is not.
    }).then(
      (answer) => done(answer.status < 500 && answer.status !== 429),
      () => done(false),
    );
  }

  try {
    waiting = (stores && JSON.parse(localStorage.getItem(place) || "[]")) || [];
    if (!Array.isArray(waiting)) waiting = [];
  } catch {
    waiting = [];
  }

  addEventListener("online", () => later(0));
  addEventListener("pagehide", () => {
    // Asked again by a fetch that may be cut off: the server drops what comes twice, by event id.
    if (waiting.length && navigator.sendBeacon?.(`${settings.to}/hit/${settings.key}`, body(waiting.slice(0, MOST)))) {
      waiting = waiting.slice(MOST);
    }
    keep();
  });

  return (event: Sent) => {
    waiting.push(event);
    keep();
    later(20);
  };
}

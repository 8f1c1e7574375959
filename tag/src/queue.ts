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

/** Who it is; and whether an earlier page left something that it could not send. */
export interface Known {
  who: Who;
  left: boolean;
}

const DAY = 864e5;
const MOST = 50;

/**
 * `identify` gives nothing once consent was taken back: then all is dropped. `mark` writes a cookie `clabo_<name>`; the
 * one named "left" says that something could not be sent.
 */
export function makeQueue(
  settings: Settings,
  identify: () => Known | undefined,
  mark: (name: string, value: string, seconds: number) => void,
) {
  const place = `clabo_${settings.key}`;
  let waiting: Sent[] = [];
  let timer = 0;
  let busy = false;
  let pause = 1000;
  // Where nothing may be stored, what could not be sent is lost with the page.
  const stores = settings.consent !== "nameless";

  // Only what could not be sent is written down, and a cookie says that there is something: opening storage takes
  // longer than all else here.
  let written = false;
  let looked = false;
  const look = () => {
    if (looked) return;
    looked = true;
    if (!stores || !identify()?.left) return;
    written = true;
    try {
      const left = JSON.parse(localStorage.getItem(place) || "[]");
      if (Array.isArray(left)) waiting = [...left, ...waiting];
    } catch {}
  };
  const drop = () => {
    if (!identify()) waiting = [];
  };
  const keep = () => {
    drop();
    if (!stores || !(written || waiting.length)) return;
    written = waiting.length > 0;
    try {
      if (waiting.length) localStorage.setItem(place, JSON.stringify(waiting.slice(-200)));
      else localStorage.removeItem(place);
      mark("left", "1", waiting.length ? 86400 : 0);
    } catch {}
  };

  const body = (events: Sent[]) =>
    JSON.stringify({
      ...identify()?.who,
      events: events.map(({ at, ...event }) => ({ ...event, age: Math.max(0, Date.now() - at) })),
    });

  const later = (wait: number) => {
    clearTimeout(timer);
    timer = setTimeout(flush, wait) as unknown as number;
  };

  const again = () => later(0);

  function flush() {
    look();
    drop();
    waiting = waiting.filter((event) => Date.now() - event.at < DAY);
    if (busy || !waiting.length) return;
    const some = waiting.slice(0, MOST);
    busy = true;
    const done = (gone: boolean) => {
      busy = false;
      if (gone) {
        waiting = waiting.filter((event) => !some.includes(event));
        pause = 1000;
        if (written) keep();
      } else {
        addEventListener("online", again);
        pause = Math.min(pause * 2, 6e4);
        keep();
      }
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

  let leaving = false;
  addEventListener("pagehide", () => {
    leaving = true;
    // Unless the page comes back as it was.
    addEventListener("pageshow", () => {
      leaving = false;
    });
    look();
    drop();
    // Asked again by a fetch that may be cut off: the server drops what comes twice, by event id.
    if (waiting.length && navigator.sendBeacon?.(`${settings.to}/hit/${settings.key}`, body(waiting.slice(0, MOST)))) {
      waiting = waiting.slice(MOST);
    }
    keep();
  });

  return (event: Sent) => {
    waiting.push(event);
    // Said by a listener that came after the last sending.
    if (leaving) keep();
    later(20);
  };
}

/** Forms that are sent, told from forms that only look it. Names of fields are read, their values never. */
import { described, type Submitted } from "../forms";
import type { Element as Traits } from "../queue";
import { json, tried, within } from "../safe";
import type { Tag } from "../tag";

const LOOK = 200;
/** How long a form's fate is watched. */
const PATIENCE = 15_000;
/** What happens so soon after somebody has clicked or pressed a key was that, not the page. */
const BY_HAND = 900;
/** A form that is gone for so long does not come back with an error in it. */
const GONE = 800;
/** So long after a sign that a form was taken the page may still say that something is wrong. */
const CALM = 1000;
/** The browser looks at fields so soon after a button that sends was pressed, or the return key. */
const PRESSED = 300;
/** An answer to a request that began so soon after the sending is the answer to it. */
const SOON = 1500;
/** Whether the engine says how a request was answered; some only say that it was. */
const TELLS = !!tried(() => "responseStatus" in PerformanceResourceTiming.prototype);
/** Where an engine does not say whether a page has led on by itself: it does so this soon after the answer. */
const LED_ON = 1000;
const THANKS =
  /(^|\P{L})(thanks?|thank you|danke|vielen dank|merci|gracias|grazie|obrigad[oa]|bedankt|dank je|dank u|tack|takk|tak for|kiitos|dziękujemy|děkujeme|köszönjük|спасибо|ありがとう|谢谢|(has|have) been (sent|received|submitted)|successfully|erfolgreich|we received|we have received|got your (message|request)|check your (e-?mail|inbox)|(we have|we.ve) sent)(\P{L}|$)/iu;
const SORRY =
  /(^|\P{L})(not|error|failed|invalid|sorry|wrong|please|must|required|already|again|nicht|fehler|ungültig|bitte|bereits|erreur|invalide|veuillez|obligatoire|errore|obbligatorio|inválid[oa]|obligatorio)(\P{L}|$)/iu;
const FAULTS = "[aria-invalid=true]";
const ALERTS = "[role=alert],[aria-live=assertive]";
const SENDS = "button:not([type=button],[type=reset]),input[type=submit],input[type=image]";

const E = Element.prototype;
const connected = Object.getOwnPropertyDescriptor(Node.prototype, "isConnected")?.get;
const isThere = (form: Element) => connected?.call(form) && E.getClientRects.call(form).length > 0;
const faulty = (form: Element) => !!E.querySelector.call(form, FAULTS);
/** Two forms that are one to a visitor: the second took the first one's place. */
const likeness = (form: Element) => json(described(form));

/** Whether something was entered; what, is nobody's business. */
const filled = (form: Element) =>
  Array.from(E.querySelectorAll.call(form, "input,textarea")).some((field) => {
    const { type, value } = field as HTMLInputElement;
    return !/^(hidden|submit|button|checkbox|radio|image|reset|range|color)$/.test(type) && value !== "";
  });

/** What is to be read around a form, line by line: two levels up, where that is not half the page. */
const lines = (form: Element) => {
  let near: Element = form;
  for (let up = 0; up < 2; up++) {
    const around = near.parentElement;
    if (around && around.getElementsByTagName("*").length < 400) near = around;
  }
  return new Set(((near as HTMLElement).innerText ?? "").split("\n"));
};

/** What the page says at once to those who do not see it, but for thanks. */
const alerts = () =>
  new Set(
    Array.from(document.querySelectorAll<HTMLElement>(ALERTS))
      .filter((each) => each.getClientRects().length)
      .map((each) => each.innerText.trim())
      .filter((text) => text && !THANKS.test(text)),
  );
const hasNew = (now: Set<string>, before: Set<string>, fits = (_: string) => true) =>
  Array.from(now).some((text) => !before.has(text) && fits(text));

/** Words of thanks that are to be seen. */
function thanks(): Set<string> {
  const found = new Set<string>();
  const walker = document.createTreeWalker(document.documentElement, NodeFilter.SHOW_TEXT);
  let asked = 0;
  for (let left = 3_000; left && asked < 40 && walker.nextNode(); left--) {
    const text = walker.currentNode.nodeValue ?? "";
    const around = walker.currentNode.parentElement;
    if (text.length > 400 || !around || !THANKS.test(text) || SORRY.test(text)) continue;
    // Whether it is to be seen takes longest.
    asked++;
    if (around.getClientRects().length && !/^(SCRIPT|STYLE|TEMPLATE|NOSCRIPT)$/.test(around.tagName))
      found.add(text.trim());
  }
  return found;
}

interface Answer {
  url: URL;
  status: number;
  began: number;
}

function start(tag: Tag) {
  const lately = { form: new WeakMap<Element, number>(), tried: new WeakMap<Element, number>() };
  const watched = new Map<Element, (kind?: "form" | "tried") => void>();
  const begun = new WeakMap<Element, number>();
  const native = new WeakMap<Element, number>();
  // What the engine tells of answers, without touching how the page asks.
  let answers: Answer[] = [];
  let heardLast = 0;
  tried(() =>
    new PerformanceObserver((list) => {
      for (const one of list.getEntries() as PerformanceResourceTiming[]) {
        if (!/^(fetch|xmlhttprequest)$/.test(one.initiatorType) || one.name.startsWith(tag.settings.to)) continue;
        heardLast = Date.now();
        if (one.responseStatus || !TELLS)
          answers.push({ url: new URL(one.name), status: one.responseStatus ?? 0, began: one.startTime });
      }
      answers = answers.slice(-50);
    }).observe({ type: "resource", buffered: true }),
  );

  // When the page last led on to another one by itself.
  let led = 0;
  tried(() =>
    navigation.addEventListener("navigate", (e) => {
      if (!e.userInitiated && !e.destination.sameDocument) led = Date.now();
    }),
  );

  // Forms that something was entered into since they were last sent: the field, when, and where.
  const unsent = new Map<Element, { field: string; at: number; url: string; element: Traits }>();
  const met = new WeakSet<Element>();
  const entered = (e: Event) => {
    const field = e.composedPath()[0] as Element;
    const form = ((field as HTMLInputElement).form as Element | null | undefined) ?? within(field, "form");
    // What a page fills in by itself nobody has begun.
    if (!e.isTrusted || !(form instanceof HTMLFormElement) || within(form, "[data-clabo-ignore]")) return;
    if (!met.has(form)) {
      met.add(form);
      tag.event("begun", described(form));
    }
    const named = E.getAttribute.call(field, "name") || E.getAttribute.call(field, "id") || "";
    const before = unsent.get(form);
    unsent.set(form, {
      field: named.slice(0, 100),
      at: Date.now(),
      url: before?.url ?? location.href.slice(0, 2048),
      element: before?.element ?? described(form),
    });
  };
  for (const name of ["input", "change"]) addEventListener(name, (e) => tried(() => entered(e)), true);
  /** The last field of what was begun and is not under way, said at the time of its last entry. */
  const leave = (form: Element) => {
    const { field, element, ...when } = unsent.get(form) as { field: string; at: number; url: string; element: Traits };
    unsent.delete(form);
    tag.event("left", element, { ...when, properties: { field } });
  };
  tag.viewed.push(() => {
    // A page of a single-page site is gone with its form.
    for (const form of Array.from(unsent.keys())) if (!watched.has(form) && !isThere(form)) leave(form);
  });

  const tell = (form: Element, kind: "form" | "tried", element = described(form)) => {
    unsent.delete(form);
    // A page that sends a form a thousand times a second sends it once in two.
    const now = Date.now();
    if (now - (lately[kind].get(form) ?? 0) < 2000 || within(form, "[data-clabo-ignore]")) return;
    lately[kind].set(form, now);
    tag.event(kind, element);
  };

  /** The page took the sending over: something must say that it succeeded, or it was only tried. */
  function watch({ event: submit, form, from }: Submitted, element: Traits) {
    const open = watched.get(form);
    // Sent once more: nothing has come of the time before.
    open?.("tried");
    // It may have been sent before this part was there.
    const began = submit.timeStamp;
    const at = Date.now() - (performance.now() - began);
    const like = json(element);
    const before = { thanks: thanks(), lines: lines(form), alerts: alerts() };
    const wasFilled = filled(form);
    const others = new Set(Array.from(document.forms).filter((other) => other !== form));
    // Where this part has come late, what is gone by now went at once.
    let goneSince = isThere(form) ? 0 : at;
    let answered = 0;
    let changed = false;
    // When the page first looked as if it had taken the form: emptied, or put back to how it was.
    let emptied = 0;

    /** Whether somebody did something right before that moment, after the sending. */
    const byHand = (since: number) => tag.acted > at + 100 && tag.acted <= since && since - tag.acted < BY_HAND;
    const done = (kind: "form" | "tried" = "tried") => {
      clearInterval(timer);
      observer?.disconnect();
      watched.delete(form);
      form.removeEventListener("reset", reset);
      tell(form, kind, element);
    };
    // Some libraries do so whatever came of it: what the page says next decides.
    const reset = () => {
      if (!byHand(Date.now())) emptied ||= Date.now();
    };
    /** The page says that something is wrong, in words or to those who do not see it. */
    const complains = () =>
      hasNew(lines(form), before.lines, (line) => SORRY.test(line)) || hasNew(alerts(), before.alerts);
    /** What the server said, as far as it is known to have been asked about this form. */
    const status = () => {
      const action = element.action;
      const mine = answers.filter(
        ({ url, began: then }) =>
          then >= began &&
          (url.origin + url.pathname === action || (then < began + SOON && url.origin === location.origin)),
      );
      if (mine.some((a) => a.status >= 400)) return "refused";
      if (mine.some((a) => a.status >= 200 && a.status < 300)) return "taken";
      return !TELLS && mine.length ? "answered" : "";
    };
    /** Another form that took this one's place. */
    const heir = () =>
      Array.from(document.forms).find(
        (other) => !others.has(other) && other !== form && isThere(other) && likeness(other) === like,
      );

    const look = () => {
      const now = Date.now();
      const answer = status();
      const stands = isThere(form) ? form : heir();
      if (stands && faulty(stands)) return done();
      if (changed) {
        changed = false;
        if (hasNew(thanks(), before.thanks)) return done("form");
      }
      answered = answer ? answered || now : 0;
      const waited = answered && now - answered;
      if (answer === "refused" && waited > 2 * LOOK) return done();
      if (location.href !== from) return done(byHand(now) ? "tried" : "form");
      if (!stands) {
        goneSince ||= now;
        if (byHand(goneSince)) return done(answer === "taken" ? "form" : "tried");
        if (now - goneSince >= GONE) return done("form");
      } else goneSince = 0;
      if (answer && stands === form && wasFilled && !filled(form)) emptied ||= now;
      // Taken, or it looks so: unless the page says something about it.
      if (stands === form && (emptied ? now - emptied >= CALM : answer === "taken" && waited > CALM))
        return done(complains() ? "tried" : "form");
      if (now - at > PATIENCE) done();
    };
    const observer = tried(() => {
      const made = new MutationObserver(() => {
        changed = true;
      });
      made.observe(document, { childList: true, subtree: true, attributes: true, characterData: true });
      return made;
    });
    const timer = setInterval(() => tried(look), LOOK);
    form.addEventListener("reset", reset);
    watched.set(form, (kind) => {
      // Left, or sent once more: what is known by now decides.
      if (kind) return done(kind);
      if (status() === "refused" || faulty(form)) return done();
      if (goneSince && !byHand(goneSince)) return done("form");
      if (emptied) return done(complains() ? "tried" : "form");
      // A tab that is closed leaves no trace; a page that leads on does, where the engine tells.
      const byPage = "navigation" in window ? led >= at - 50 : Date.now() - Math.max(at, heardLast) < LED_ON;
      done(byPage && tag.acted <= at + 100 ? "form" : "tried");
    });
  }

  function decide(sent: Submitted, element = described(sent.form)) {
    const { event: e, form, invalid } = sent;
    const by = (e as SubmitEvent).submitter;
    const said = (name: string) =>
      (by && E.getAttribute.call(by, `form${name}`)) || E.getAttribute.call(form, name) || "";
    if (said("method").toLowerCase() === "dialog") return;
    // A handler sent it by itself while this was under way.
    if (performance.now() - (native.get(form) ?? -1e9) < 2000 && e.defaultPrevented) return;
    const taken = e.defaultPrevented || /^\s*javascript:/i.test(said("action"));
    if (!taken) {
      const open = watched.get(form);
      if (open) open("form");
      else tell(form, "form", element);
    } else if (invalid) tell(form, "tried", element);
    // Pressed twice is sent once.
    else if (!watched.has(form) || Date.now() - (begun.get(form) ?? 0) > 1000) {
      begun.set(form, Date.now());
      watch(sent, element);
    }
  }

  tag.sent = (sent) => {
    if (within(sent.form, "[data-clabo-ignore]")) return;
    let decided = false;
    // Read before the page's own handlers, which may empty the fields or take the form away.
    const element = described(sent.form);
    const once = () => {
      if (decided) return;
      decided = true;
      tried(() => decide(sent, element));
    };
    // Whichever comes first: a page's handler may keep the event from arriving up there.
    addEventListener("submit", (again) => again === sent.event && once(), { once: true });
    tag.leaving.unshift(once);
    setTimeout(() => {
      once();
      tag.leaving = tag.leaving.filter((each) => each !== once);
    }, 0);
  };
  // The browser itself refuses a form with a field left empty, and no submit event comes. A page that only looks at its
  // fields has the same event fired: it counts where somebody has pressed what sends.
  let pressed = 0;
  let acted = false;
  for (const name of ["click", "keydown"])
    addEventListener(
      name,
      (e) =>
        tried(() => {
          const [target] = e.composedPath();
          const sends =
            name === "click"
              ? target instanceof Element && within(target, SENDS)
              : (e as KeyboardEvent).key === "Enter";
          acted ||= e.isTrusted;
          if (e.isTrusted && sends) pressed = Date.now();
        }),
      true,
    );
  tag.refused = (e) => {
    const { form } = e.target as HTMLInputElement;
    if (form && (!acted || Date.now() - pressed < PRESSED)) tell(form, "tried");
  };
  for (const sent of tag.early as (Submitted | Event)[])
    tried(() => (sent instanceof Event ? tag.refused(sent) : decide(sent)));
  tag.leaving.push(() => {
    // Left while a success was waited for.
    for (const end of Array.from(watched.values())) tried(() => end());
  });

  tag.leaving.push(() => {
    for (const form of Array.from(unsent.keys())) tried(() => leave(form));
  });

  // A form that a script sends fires no submit event.
  tried(() => {
    const own = HTMLFormElement.prototype.submit;
    HTMLFormElement.prototype.submit = function () {
      tried(() => {
        native.set(this, performance.now());
        const like = likeness(this);
        const same = Array.from(watched.keys()).find((form) => form === this || likeness(form) === like);
        const end = same && watched.get(same);
        if (end) {
          native.set(same, performance.now());
          end("form");
        } else tell(this, "form");
      });
      own.call(this);
    };
  });
}

window.clabo?.part?.("forms", start);

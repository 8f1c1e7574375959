/** Forms that are sent, told from forms that only look it. Names of fields are read, their values never. */
import type { Element } from "../queue";
import type { Tag } from "../tag";

const clip = (text: string | null, most: number) => (text || "").slice(0, most);

/** `form.id` and the like may be shadowed by a field of that name: attributes are not. */
function described(form: HTMLFormElement): Element {
  const names = new Set<string>();
  for (const field of form.querySelectorAll("[name]")) names.add(clip(field.getAttribute("name"), 100));
  const action = form.getAttribute("action");
  let to = "";
  if (action) {
    try {
      const url = new URL(action, location.href);
      to = url.origin + url.pathname;
    } catch {}
  }
  return {
    id: clip(form.getAttribute("id"), 200),
    name: clip(form.getAttribute("data-clabo-form") || form.getAttribute("name"), 200),
    action: to.slice(0, 300),
    fields: [...names].filter(Boolean).slice(0, 40),
  };
}

function start({ event }: Tag) {
  const lately = { form: new WeakMap<HTMLFormElement, number>(), tried: new WeakMap<HTMLFormElement, number>() };
  const waiting = new Map<HTMLFormElement, () => void>();

  const tell = (form: HTMLFormElement, kind: "form" | "tried", element = described(form)) => {
    // A page that sends a form a thousand times a second sends it once in two.
    const now = Date.now();
    if (now - (lately[kind].get(form) ?? 0) < 2000 || form.closest("[data-clabo-ignore]")) return;
    lately[kind].set(form, now);
    event(kind, element);
  };

  /** The page took the sending over: what becomes of the form says whether it succeeded. */
  function watch(form: HTMLFormElement, element: Element, from: string) {
    if (waiting.has(form)) return;
    let looks = 0;
    const done = (kind: "form" | "tried") => {
      clearInterval(timer);
      waiting.delete(form);
      form.removeEventListener("reset", reset);
      tell(form, kind, element);
    };
    const reset = () => done("form");
    const look = () => {
      if (!form.isConnected || !form.getClientRects().length || location.href !== from) done("form");
      else if (form.querySelector("[aria-invalid=true]") || ++looks > 60) done("tried");
    };
    const timer = setInterval(look, 250);
    form.addEventListener("reset", reset);
    waiting.set(form, look);
  }

  function decide(form: HTMLFormElement, e: Event, element: Element, from: string, invalid: boolean) {
    if (!e.defaultPrevented) tell(form, "form", element);
    else if (invalid) tell(form, "tried", element);
    else watch(form, element, from);
  }

  addEventListener(
    "submit",
    (e) => {
      const form = e.target as HTMLFormElement;
      // Before the page's own handlers, which may empty the fields or take the form away.
      const element = described(form);
      const from = location.href;
      const way = (e as SubmitEvent).submitter?.getAttribute("formmethod") || form.getAttribute("method");
      if (way?.toLowerCase() === "dialog") return;
      const invalid = !!form.querySelector(":invalid");
      let decided = false;
      const once = () => {
        if (decided) return;
        decided = true;
        try {
          decide(form, e, element, from, invalid);
        } catch {}
      };
      // Whichever comes first: a page's handler may keep the event from arriving up there.
      addEventListener("submit", (again) => again === e && once(), { once: true });
      addEventListener("pagehide", once, { once: true });
      setTimeout(once, 0);
    },
    true,
  );
  // The browser itself refuses a form with a field left empty, and no submit event comes. Pages that only look
  // at their fields fire the same event: it counts right after somebody has pressed something.
  let pressed = 0;
  const press = () => {
    pressed = Date.now();
  };
  addEventListener("click", press, true);
  addEventListener("keydown", (e) => e.key === "Enter" && press(), true);
  addEventListener(
    "invalid",
    (e) => {
      try {
        const { form } = e.target as HTMLInputElement;
        if (form && Date.now() - pressed < 300) tell(form, "tried");
      } catch {}
    },
    true,
  );
  addEventListener("pagehide", () => {
    // Left while a success was waited for: the page itself led on.
    for (const [form] of waiting) tell(form, "form");
  });

  // A form that a script sends fires no submit event.
  try {
    const native = HTMLFormElement.prototype.submit;
    HTMLFormElement.prototype.submit = function () {
      try {
        tell(this, "form");
      } catch {}
      native.call(this);
    };
  } catch {}
}

window.clabo?.part?.("forms", start);

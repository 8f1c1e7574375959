/** Forms that are sent, told from forms that only look it. Names of fields are read, their values never. */
import type { Submitted } from "../forms";
import type { Element } from "../queue";
import type { Tag } from "../tag";

function start(tag: Tag) {
  const { event, described } = tag;
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

  function decide({ event: e, form, element, from, invalid }: Submitted) {
    const way = (e as SubmitEvent).submitter?.getAttribute("formmethod") || form.getAttribute("method");
    if (way?.toLowerCase() === "dialog") return;
    if (!e.defaultPrevented) tell(form, "form", element);
    else if (invalid) tell(form, "tried", element);
    else watch(form, element, from);
  }

  tag.sent = (sent) => {
    let decided = false;
    const once = () => {
      if (decided) return;
      decided = true;
      try {
        decide(sent);
      } catch {}
    };
    // Whichever comes first: a page's handler may keep the event from arriving up there.
    addEventListener("submit", (again) => again === sent.event && once(), { once: true });
    addEventListener("pagehide", once, { once: true });
    setTimeout(once, 0);
  };
  // The browser itself refuses a form with a field left empty, and no submit event comes. Pages that only look
  // at their fields fire the same event: it counts right after somebody has pressed something.
  const refused = (e: Event) => {
    const { form } = e.target as HTMLInputElement;
    if (form) tell(form, "tried");
  };
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
        if (Date.now() - pressed < 300) refused(e);
      } catch {}
    },
    true,
  );
  for (const sent of tag.early as (Submitted | Event)[]) sent instanceof Event ? refused(sent) : decide(sent);
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

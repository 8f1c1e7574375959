/** Messages that frames of other origins post to the page: their shapes, and those that a rule asks for. */
import { holds } from "../place";
import type { Element } from "../queue";
import type { Tag } from "../tag";

// Keys that tell one message from another. Of all others only the type is said.
const TELLING =
  /(^|\.)(type|event|event_?name|action|status|state|kind|topic|method|message|form|form_?id|form_?name)$/i;
const WORD = /^[A-Za-z][\w.:/-]{0,59}$/;

/** Keys as paths like "data.type", three deep and forty at most, with the type of each. */
function shape(data: unknown) {
  const keys: Record<string, string> = {};
  const values: Record<string, string> = {};
  const raw: Record<string, string> = {};
  let count = 0;
  const walk = (value: unknown, path: string, deep: number) => {
    if (count >= 40 || path.length > 200) return;
    if (value && typeof value === "object" && !Array.isArray(value) && deep < 3) {
      for (const key of Object.keys(value).slice(0, 40))
        walk((value as Record<string, unknown>)[key], path ? `${path}.${key}` : key, deep + 1);
      return;
    }
    count++;
    keys[path] = value === null ? "null" : Array.isArray(value) ? "list" : typeof value;
    if (/^(string|number|boolean)$/.test(typeof value)) {
      const text = String(value);
      raw[path] = text;
      if (typeof value === "boolean" || (TELLING.test(path) && WORD.test(text) && !text.includes("@")))
        values[path] = text;
    }
  };
  walk(data, "", 0);
  return { keys, values, raw };
}

function start({ settings, event, early }: Tag) {
  const seen = new Set<string>();
  let matched = 0;
  let looked = 0;

  function heard(e: MessageEvent) {
    // A frame that floods is not listened to any longer.
    if (e.origin === location.origin || ++looked > 500) return;
    const frames = document.querySelectorAll("iframe");
    if (![...frames].some((frame) => frame.contentWindow === e.source)) return;
    let data: unknown = e.data;
    if (typeof data === "string" && data.length < 10_000 && /^\s*\{/.test(data)) {
      try {
        data = JSON.parse(data);
      } catch {}
    }
    const { origin } = e;
    const told = data as { clabo?: unknown; kind?: unknown; element?: Element } | null;
    if (told && typeof told === "object" && told.clabo === settings.key && settings.frames?.includes(origin)) {
      if ((told.kind === "form" || told.kind === "tried" || told.kind === "begun") && matched++ < 20) {
        const { id, name, action, fields } = told.element ?? {};
        event(told.kind, {
          id: String(id ?? "").slice(0, 200),
          name: String(name ?? "").slice(0, 200),
          action: String(action ?? "").slice(0, 300),
          fields: (Array.isArray(fields) ? fields : []).map((f) => String(f).slice(0, 100)).slice(0, 40),
          origin,
        });
      }
      return;
    }
    const { keys, values, raw } = shape(data);
    let asked = false;
    for (const rule of settings.messages ?? []) {
      if (rule.origin === origin && raw[rule.at] === rule.value && holds(settings, rule.where, location)) {
        values[rule.at] = rule.value;
        asked = true;
      }
    }
    const name = origin + JSON.stringify([keys, values]);
    if (asked ? matched++ < 20 : !seen.has(name) && seen.size < 10) {
      seen.add(name);
      event("message", { origin: origin.slice(0, 300), keys, values });
    }
  }

  const safely = (e: MessageEvent) => {
    try {
      heard(e);
    } catch {}
  };
  for (const e of early) safely(e as MessageEvent);
  addEventListener("message", safely);
}

window.clabo?.part?.("frames", start);

/**
 * Writing a variant on the page itself: point at an element, and say what becomes of it. Loaded only where a link from
 * Clabo asks for it; what is written goes to the draft, and nothing on this page is counted.
 */
import { asItWas, OURS } from "../changing/finding";
import { Keeper } from "../changing/keeping";
import { movable } from "../changing/moving";
import { watch } from "../changing/watching";
import { type Found, selectorOf } from "../elements";
import { History } from "../history";
import { guard, ofDocument, tried } from "../safe";
import type { Change } from "../settings";
import type { Tag } from "../tag";

interface Draft {
  name: string;
  letter: string;
  changes: Change[];
  detail?: string;
}

const INK = "#211d2b";
const STYLE = `
:host{all:initial}
*{box-sizing:border-box;font:15px/1.4 system-ui,sans-serif}
.foot{position:fixed;z-index:2147483647;left:0;right:0;bottom:0;max-height:100vh;display:flex;flex-direction:column;align-items:flex-start;pointer-events:none}
.bar,.card{background:${INK};color:#faf7f1;pointer-events:auto}
.bar{align-self:stretch;flex:none;display:flex;flex-wrap:wrap;gap:8px 12px;align-items:center;padding:10px 14px}
.bar b{font-weight:600}.grow{flex:1 1 120px}
.card{margin:0 14px 10px;width:min(360px,calc(100vw - 28px));min-height:0;max-height:70vh;overflow:auto;padding:14px;border-radius:4px}
.card[hidden],.frame[hidden]{display:none}
button{background:transparent;color:inherit;border:1px solid #8f879c;border-radius:4px;padding:5px 10px;cursor:pointer}
button:disabled{opacity:.45;cursor:default}
button.main{background:#d9c7e6;color:${INK};border-color:#d9c7e6}
button:focus-visible,input:focus-visible,textarea:focus-visible,select:focus-visible{outline:2px solid #d9c7e6;outline-offset:2px}
label{display:block;margin:8px 0 2px}
input,textarea,select{width:100%;padding:5px 8px;border:1px solid #8f879c;border-radius:4px;background:#faf7f1;color:${INK}}
code{font:13px/1.4 ui-monospace,monospace;overflow-wrap:anywhere}
.row{display:flex;flex-wrap:wrap;gap:8px;margin-top:10px}
.warn{margin:8px 0 0;padding-left:8px;border-left:3px solid #d9a441}
.frame{position:fixed;z-index:2147483646;pointer-events:none;border:2px solid #7a3f8f;background:rgba(122,63,143,.08)}
ul{margin:6px 0 0;padding:0;list-style:none}li{display:flex;gap:8px;align-items:start;justify-content:space-between;padding:4px 0}
`;
const NEW_BLOCKS = { banner: "a banner", panel: "a panel", notice: "a notice" };

function made<K extends keyof HTMLElementTagNameMap>(tag: K, text = "", kind = ""): HTMLElementTagNameMap[K] {
  const element = document.createElement(tag);
  element.textContent = text;
  if (kind) element.className = kind;
  return element;
}

function button(text: string, what: () => unknown, kind = "") {
  const one = made("button", text, kind);
  one.type = "button";
  one.addEventListener("click", guard(what));
  return one;
}

/** A field with its words above it. */
function field<T extends HTMLInputElement | HTMLTextAreaElement | HTMLSelectElement>(
  label: string,
  input: T,
): [HTMLElement, T] {
  const box = made("div");
  input.id = `f${Math.random().toString(36).slice(2)}`;
  const words = made("label", label);
  words.htmlFor = input.id;
  box.append(words, input);
  return [box, input];
}

function written(value: string, long = false) {
  const input = made(long ? "textarea" : "input");
  input.value = value;
  if (input instanceof HTMLTextAreaElement) input.rows = 3;
  return input;
}

/** What stands in a line of words, and is no part of its own. */
const INLINE = "a,abbr,b,br,cite,code,em,i,mark,q,s,small,span,strong,sub,sup,u,wbr";
/** What an element says; nothing where it holds more than words. */
const says = (element: Element) =>
  Array.from(element.querySelectorAll("*")).every((inner) => inner.matches(INLINE)) && !element.matches("input,select")
    ? (element.textContent ?? "").trim().replace(/\s+/g, " ")
    : "";
/** How things look (clabo/core/splits/changes.py has all of them), and an example of each. */
const LOOKS: Record<string, string> = {
  "font-size": "20px",
  "font-weight": "600",
  color: "#7a3f8f",
  "background-color": "#faf7f1",
  "text-align": "center",
  padding: "12px 20px",
  margin: "16px 0",
  "border-radius": "6px",
};

/** A style that no policy of the page keeps out, where the browser has such. */
function dressed(root: DocumentOrShadowRoot & Node, css: string) {
  const sheet = tried(() => new CSSStyleSheet());
  if (!sheet || !root.adoptedStyleSheets) return root.appendChild(made("style", css));
  sheet.replaceSync(css);
  root.adoptedStyleSheets = [...root.adoptedStyleSheets, sheet];
}

/** How an element is found again on the page as it is without any change. */
const foundBy = (element: Element) => asItWas(() => selectorOf(element));
const where = ({ selector, fallback }: Found) => ({ selector, ...(fallback && { fallback }) });

class Editor {
  private readonly host = document.createElement("div");
  private readonly root = this.host.attachShadow({ mode: "open" });
  private readonly bar = made("div", "", "bar");
  private readonly card = made("div", "", "card");
  private readonly frame = made("div", "", "frame");
  private readonly note = made("span", "", "grow");
  private readonly undoing = button("Undo", () => this.step(() => this.history.undo()));
  private readonly redoing = button("Redo", () => this.step(() => this.history.redo()));
  private readonly saving = button("Save draft", () => this.save(), "main");
  /** Menus are opened and fields filled in first, and pointed at then. */
  private readonly useIt = button("Use the page", () => this.use(!this.using));
  private using = false;
  private readonly history: History;
  private keeper = new Keeper([], () => {});
  private chosen: Element | undefined;
  private saved: Change[];
  private readonly watching = watch(() => this.make());

  constructor(
    private readonly call: (what: string, body: BodyInit) => Promise<Response>,
    draft: Draft,
  ) {
    this.history = new History(draft.changes);
    this.saved = this.history.now;
    dressed(this.root, STYLE);
    // The end of the page can be scrolled clear of the bar.
    tried(() => dressed(document, "html{padding-bottom:72px!important}"));
    this.note.setAttribute("role", "status");
    const title = made("b", `${draft.letter} of “${draft.name}”`);
    const listed = button("Changes", () => this.list());
    const phone = button("Phone width", () => open(location.href, "", "width=390,height=800"));
    this.bar.append(title, this.note, this.undoing, this.redoing, listed, this.useIt, phone, this.saving);
    this.bar.setAttribute("role", "toolbar");
    this.bar.setAttribute("aria-label", "Writing a variant");
    this.card.hidden = this.frame.hidden = true;
    const foot = made("div", "", "foot");
    foot.append(this.card, this.bar);
    this.root.append(this.frame, foot);
    ofDocument("documentElement").append(this.host);
    this.say("Click on what you want to change.");
    this.listen();
    this.begin();
    this.shown();
  }

  private use(using: boolean) {
    this.using = using;
    this.useIt.textContent = using ? "Select elements" : "Use the page";
    this.useIt.setAttribute("aria-pressed", String(using));
    this.close();
    this.say(
      using ? "The page works as usual. Choose “Select elements” to go on." : "Click on what you want to change.",
    );
  }

  private say(text: string) {
    this.note.textContent = text;
  }

  /** Whether an event is the page's own, not the editor's. */
  private ofPage(event: Event) {
    return !event.composedPath().includes(this.host);
  }

  private listen() {
    const aim = guard((event: Event) => {
      if (this.using || !this.ofPage(event)) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      const [target] = event.composedPath();
      if (event.type === "click" && target instanceof Element) this.choose(target);
    });
    // Nor is the page told of what is done in the editor: it would act on it.
    for (const name of [
      "click",
      "mousedown",
      "mouseup",
      "pointerdown",
      "pointerup",
      "keydown",
      "keyup",
      "input",
      "change",
      "focusin",
    ])
      this.host.addEventListener(name, (event) => event.stopPropagation());
    for (const name of [
      "click",
      "mousedown",
      "mouseup",
      "pointerdown",
      "pointerup",
      "touchstart",
      "touchend",
      "submit",
      "auxclick",
    ])
      addEventListener(name, aim, { capture: true, passive: false });
    addEventListener(
      "pointermove",
      guard((event: PointerEvent) => !this.using && this.ofPage(event) && this.outline(event.composedPath()[0])),
      true,
    );
    addEventListener(
      "scroll",
      guard(() => this.outline(this.chosen)),
      true,
    );
    addEventListener(
      "resize",
      guard(() => this.outline(this.chosen)),
    );
    addEventListener(
      "keydown",
      guard((event: KeyboardEvent) => this.keys(event)),
      true,
    );
    addEventListener("beforeunload", (event) => {
      if (this.history.now !== this.saved) event.preventDefault();
    });
  }

  private keys(event: KeyboardEvent) {
    if (event.key === "Escape") this.close();
    const typing =
      event.composedPath()[0] instanceof HTMLInputElement || event.composedPath()[0] instanceof HTMLTextAreaElement;
    if (typing || !(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z") return;
    event.preventDefault();
    this.step(() => (event.shiftKey ? this.history.redo() : this.history.undo()));
  }

  private outline(target: unknown) {
    if (!(target instanceof Element) || !target.isConnected) {
      this.frame.hidden = true;
      return;
    }
    const { left, top, width, height } = target.getBoundingClientRect();
    this.frame.hidden = false;
    this.frame.style.cssText = `left:${left - 2}px;top:${top - 2}px;width:${width + 4}px;height:${height + 4}px`;
  }

  private close() {
    this.card.hidden = true;
    this.chosen = undefined;
    this.frame.hidden = true;
  }

  /** Shows a card of these, and puts the keys there. */
  private open(...parts: (Node | string)[]) {
    this.card.replaceChildren(...parts);
    this.card.hidden = false;
    const [first] = Array.from(this.card.querySelectorAll<HTMLElement>("input,textarea,button"));
    first?.focus();
  }

  private choose(target: Element) {
    if (target === document.documentElement || target === document.body) return;
    this.chosen = target;
    this.outline(target);
    if (target.closest(`[${OURS}]`)) {
      this.open("The variant added this. Remove it under “Changes”.", this.actions(this.cancelling));
      return;
    }
    const found = foundBy(target);
    if (!found) {
      this.open(
        "A variant cannot change this: no selector finds it alone, or it is in a closed shadow tree. An id on the element helps.",
        this.actions(this.cancelling),
      );
      return;
    }
    const { selector, brittle } = found;
    const at = where(found);
    const shown = made("div");
    shown.append("Selector: ", made("code", selector));
    const parts: Node[] = [shown];
    if (brittle)
      parts.push(
        made(
          "p",
          "This selector goes by position alone: once the page is built otherwise, it may find another element. An id on the element would be safer.",
          "warn",
        ),
      );
    const text = says(target);
    if (text) {
      const [box, input] = field("Text", written(text, true));
      parts.push(box, this.actions(["Change text", () => this.put({ words: { ...at, text: input.value } })]));
      if (target.childElementCount)
        parts.push(made("p", "The whole element becomes this text; bold parts and links in it are lost.", "warn"));
    }
    const link = target.closest("a[href]");
    const linked = link && foundBy(link);
    if (linked) {
      const [box, input] = field("Link", written(link.getAttribute("href") ?? ""));
      parts.push(box, this.actions(["Change link", () => this.put({ link: { ...where(linked), to: input.value } })]));
    }
    if (target instanceof HTMLImageElement) {
      const [box, input] = field("Picture address", written(target.getAttribute("src") ?? ""));
      const [about, alt] = field("Alternative text", written(target.alt));
      const [fileBox, file] = field<HTMLInputElement>("Or upload a picture", made("input"));
      file.type = "file";
      file.accept = "image/png,image/jpeg,image/webp,image/gif";
      file.addEventListener(
        "change",
        guard(() => this.keepPicture(file, input)),
      );
      const put = () => this.put({ picture: { ...at, address: input.value, ...(alt.value && { alt: alt.value }) } });
      parts.push(box, fileBox, about, this.actions(["Change picture", put]));
    }
    const more: [string, () => unknown][] = [["Hide", () => this.put({ hide: at })]];
    const beside = [
      ["Move up", "before", this.neighbour(target, "previousElementSibling")],
      ["Move down", "after", this.neighbour(target, "nextElementSibling")],
    ] as const;
    for (const [text, place, by] of beside) {
      const of = by && movable(target, by) && foundBy(by)?.selector;
      if (of) more.push([text, () => this.put({ move: { ...at, place, of } })]);
    }
    if (beside.some(([, , by]) => by && !movable(target, by)))
      parts.push(
        made(
          "p",
          "This cannot be moved there: it has fields, a frame or code of its own, which would stop working.",
          "warn",
        ),
      );
    more.push(["Change style …", () => this.look(target, at)], ["Add a block …", () => this.block(at)]);
    if (target.parentElement && target.parentElement !== document.body)
      more.push(["Select parent", () => target.parentElement && this.choose(target.parentElement)]);
    more.push(this.cancelling);
    parts.push(this.actions(...more));
    this.open(...parts);
  }

  private readonly cancelling: [string, () => unknown] = ["Cancel", () => this.close()];

  /** The next of the page's own. */
  private neighbour(element: Element, which: "previousElementSibling" | "nextElementSibling") {
    let found = element[which];
    while (found?.closest(`[${OURS}]`)) found = found[which];
    return found;
  }

  private actions(...some: [string, () => unknown][]) {
    const row = made("div", "", "row");
    row.append(...some.map(([text, what]) => button(text, what)));
    return row;
  }

  private look(target: Element, at: ReturnType<typeof where>) {
    const kinds = made("select");
    for (const name of Object.keys(LOOKS)) kinds.add(new Option(name.replace("-", " "), name));
    const [kindBox] = field("Property", kinds);
    const [valueBox, value] = field("Value", written(""));
    const shown = () => {
      const now = getComputedStyle(target).getPropertyValue(kinds.value);
      value.value = now;
      value.placeholder = LOOKS[kinds.value] ?? "";
    };
    kinds.addEventListener("change", guard(shown));
    shown();
    const put = () => {
      if (CSS.supports(kinds.value, value.value))
        this.put({ style: { ...at, property: kinds.value, value: value.value.trim() } });
      else this.say(`That is no ${kinds.value.replace("-", " ")}. For example: ${LOOKS[kinds.value]}`);
    };
    this.open(kindBox, valueBox, this.actions(["Change style", put], ["Cancel", () => this.close()]));
  }

  private block(at: ReturnType<typeof where>) {
    const kinds = made("select");
    for (const [value, text] of Object.entries(NEW_BLOCKS)) kinds.add(new Option(text, value));
    const [kindBox] = field("Property", kinds);
    const places = made("select");
    for (const [value, text] of [
      ["after", "after it"],
      ["before", "before it"],
    ] as const)
      places.add(new Option(text, value));
    const [placeBox] = field("Where", places);
    const [titleBox, title] = field("Title", written(""));
    const [textBox, text] = field("Text", written("", true));
    const [wordsBox, words] = field("Button text", written(""));
    const [toBox, to] = field("Button link", written(""));
    const put = () =>
      this.put({
        block: {
          ...at,
          place: places.value as "before" | "after",
          template: kinds.value as keyof typeof NEW_BLOCKS,
          title: title.value,
          ...(text.value && { text: text.value }),
          ...(words.value && { button: words.value }),
          ...(to.value && { to: to.value }),
        },
      });
    this.open(
      kindBox,
      placeBox,
      titleBox,
      textBox,
      wordsBox,
      toBox,
      this.actions(["Add", put], ["Cancel", () => this.close()]),
    );
  }

  private list() {
    if (!this.history.now.length) {
      this.open("Nothing is changed yet.", this.actions(["Close", () => this.close()]));
      return;
    }
    const all = made("ul");
    for (const change of this.history.now) {
      const item = made("li");
      item.append(
        made("code", told(change)),
        button("Remove", () => this.step(() => this.history.without(change), true)),
      );
      all.append(item);
    }
    this.open(all, this.actions(["Close", () => this.close()]));
  }

  private put(change: Change) {
    this.step(() => this.history.put(change));
    this.close();
  }

  /** What is changed is taken back and made anew, so that every step leaves the page as its list says. */
  private step(how: () => void, listing = false) {
    this.keeper.undo();
    how();
    this.begin();
    this.shown();
    if (listing) this.list();
  }

  private begin() {
    this.keeper = new Keeper(this.history.now, () => this.make());
    this.make();
  }

  private make() {
    this.keeper.keep();
    this.watching.quiet();
    this.outline(this.chosen);
  }

  private shown() {
    this.undoing.disabled = !this.history.undoable;
    this.redoing.disabled = !this.history.redoable;
    this.saving.disabled = this.history.now === this.saved;
  }

  /** Clabo keeps the file, and says under which address. */
  private async keepPicture(file: HTMLInputElement, address: { value: string }) {
    const [chosen] = Array.from(file.files ?? []);
    if (!chosen) return;
    this.say("Sending the picture …");
    const answer = await tried(() => this.call("picture", chosen.slice(0, chosen.size, "")).catch(() => undefined));
    const said = await answer?.json();
    if (answer?.ok) address.value = String(said.address);
    this.say(answer?.ok ? "Picture uploaded." : String(said?.detail ?? "It could not be sent. Is Clabo there?"));
  }

  private async save() {
    const sent = this.history.now;
    this.say("Saving …");
    const failed = guard((why: unknown) =>
      this.say(typeof why === "string" ? why : "It could not be saved. Is Clabo there?"),
    );
    try {
      const answer = await this.call("draft", JSON.stringify(sent));
      const said = await answer.json();
      if (!answer.ok) return failed(String(said.detail));
      this.saved = sent;
      this.say("Saved in the draft.");
      this.shown();
    } catch (error) {
      failed(error);
    }
  }
}

/** A change in a few words, for the list. */
function told(change: Change) {
  const { words, link, picture, hide, show, move, style, block, html, sheet } = change;
  if (words) return `${words.selector}: “${words.text}”`;
  if (link) return `${link.selector} → ${link.to}`;
  if (picture) return `${picture.selector}: ${picture.address}`;
  if (hide) return `${hide.selector} hidden`;
  if (show) return `${show.selector} shown`;
  if (move) return `${move.selector} ${move.place} ${move.of}`;
  if (html) return `markup of its own ${html.place} ${html.selector}`;
  if (sheet) return "a style sheet of its own";
  if (style) return `${style.selector}: ${style.property} ${style.value}`;
  return `${block?.template} “${block?.title}” ${block?.place} ${block?.selector}`;
}

async function start(tag: Tag) {
  const ticket = /^edit-([\w-]+)$/.exec(tag.told ?? "")?.[1];
  if (!ticket) return;
  tag.told = undefined;
  const to = `${tag.settings.to}/edit/`;
  const answer = await fetch(`${to}open`, { method: "POST", credentials: "omit", body: ticket });
  const draft: Draft & { token: string } = await answer.json();
  if (!answer.ok) return alert(String(draft.detail));
  if (document.readyState === "loading")
    await new Promise((go) => addEventListener("DOMContentLoaded", go, { once: true }));
  const headers = { authorization: `Bearer ${draft.token}` };
  new Editor((what, body) => fetch(to + what, { method: "POST", credentials: "omit", headers, body }), draft);
}

window.clabo?.part?.("editor", (tag) => {
  tried(() => start(tag).catch(guard(() => alert("The draft cannot be had. Take a new link in Clabo."))));
});

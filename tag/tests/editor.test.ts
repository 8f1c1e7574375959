import { beforeEach, describe, expect, it } from "vitest";
import { type Found, selectorOf } from "../src/elements";
import { History } from "../src/history";
import type { Change } from "../src/settings";

const PAGE = `
<main><section id="story"><h1>Start</h1><p>one</p><p>two</p></section>
<section class="css-1q2w3e offer"><p>three</p><a class="cta" href="/order">Order</a><a class="cta" href="/kit">Look</a></section>
<div id="r-48213"><button data-action="add">Add</button><button data-action="go" class="btn_a8f3c2">Go</button></div>
<img alt="A hive" src="/a.png"><img src="/b.png"><ul><li>1</li><li><b>x</b></li><li>3</li></ul>
<input name="a&quot;b]"><p class="x">{</p></main>`;

describe("the selector that is kept", () => {
  beforeEach(() => {
    document.body.innerHTML = PAGE;
  });

  it("finds exactly the element that was pointed at, whichever that is", () => {
    for (const element of Array.from(document.querySelectorAll("main, main *"))) {
      const { selector, fallback } = selectorOf(element) as Found;
      for (const one of fallback ? [selector, fallback] : [selector]) {
        expect(Array.from(document.querySelectorAll(one)), one).toEqual([element]);
        expect(one.length).toBeLessThanOrEqual(300);
      }
      expect(fallback).not.toBe(selector);
    }
  });

  it("goes by what lasts: id, data, words for it, class; by place only at last, and says so", () => {
    const of = (where: string) => {
      const element = document.querySelector(where) as Element;
      return selectorOf(element) as Found;
    };
    // And what is asked where the first finds nothing leans on something else.
    expect(of("#story").fallback).toBe("main > section:nth-of-type(1)");
    expect(of(".offer p").fallback).toBe("section.offer > p:nth-of-type(1)");
    expect(of("#story")).toMatchObject({ selector: "#story", brittle: false });
    expect(of("[data-action=go]")).toMatchObject({ selector: 'button[data-action="go"]', brittle: false });
    expect(of("[href='/kit']")).toMatchObject({ selector: 'a[href="/kit"]', brittle: false });
    expect(of("[alt]")).toMatchObject({ selector: 'img[alt="A hive"]', brittle: false });
    expect(of(".offer")).toMatchObject({ selector: "section.offer", brittle: false });
    expect(of(".offer p")).toMatchObject({ selector: "section.offer p", brittle: false });
    // An id that a tool has numbered through is none.
    expect(of("#r-48213").selector).not.toContain("48213");
    expect(of("#story p + p")).toMatchObject({ selector: "#story > p:nth-of-type(2)", brittle: true });
    expect(of("li:last-child").brittle).toBe(true);
  });

  it("leads into an open shadow tree, and is none where nothing finds the element alone", () => {
    const host = document.querySelector("#story") as Element;
    host.attachShadow({ mode: "open" }).innerHTML =
      "<p>one</p><p class=note>two</p><div><i></i></div><div><i></i></div>";
    const inside = (selector: string) => host.shadowRoot?.querySelector(selector) as Element;
    expect(selectorOf(inside(".note"))).toMatchObject({ selector: "#story >> p.note", brittle: false });
    expect(selectorOf(inside("i"))).toMatchObject({ selector: "#story >> div:nth-of-type(1) > i:nth-of-type(1)" });
    const closed = document.body.appendChild(document.createElement("x-closed"));
    const hidden = closed.attachShadow({ mode: "closed" }).appendChild(document.createElement("p"));
    expect(selectorOf(hidden)).toBeUndefined();
  });
});

describe("what was changed", () => {
  const words = (text: string, selector = "h1"): Change => ({ words: { selector, text } });
  const hide: Change = { hide: { selector: "h1" } };

  it("is taken back and made again step by step", () => {
    const history = new History([]);
    history.put(words("a"));
    history.put(hide);
    history.put(words("b"));
    expect(history.now).toEqual([words("b"), hide]);
    history.undo();
    expect(history.now).toEqual([words("a"), hide]);
    history.undo();
    history.undo();
    history.undo();
    expect([history.now, history.undoable, history.redoable]).toEqual([[], false, true]);
    history.redo();
    history.put(words("c", "p"));
    expect([history.now, history.redoable]).toEqual([[words("a"), words("c", "p")], false]);
  });

  it("takes the place of what is alike: one property each, blocks beside each other", () => {
    const style = (property: string, value: string): Change => ({ style: { selector: "h1", property, value } });
    const block = (title: string): Change => ({ block: { selector: "h1", place: "after", template: "notice", title } });
    const history = new History([style("color", "red")]);
    for (const one of [style("margin", "1px"), style("color", "blue"), block("x"), block("y")]) history.put(one);
    expect(history.now).toEqual([style("color", "blue"), style("margin", "1px"), block("x"), block("y")]);
    history.without(history.now[1] as Change);
    expect(history.now).toEqual([style("color", "blue"), block("x"), block("y")]);
  });
});

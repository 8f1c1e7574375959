import { beforeEach, describe, expect, it } from "vitest";
import { find, selectors } from "../src/changing/finding";
import { Keeper } from "../src/changing/keeping";
import type { Change } from "../src/settings";

const PAGE = `<link id="sheet" rel="stylesheet"><style id="rules">h1{}</style><script id="code" type="text/plain">x</script>
<template id="later"><b>x</b></template><iframe id="frame"></iframe><svg><a id="drawn"><text>x</text></a></svg>
<a id="go" href="/a">Go</a><img id="shown" src="/a.png"><h1 id="title">Hives</h1>`;

const keeper = (...changes: unknown[]) => new Keeper(changes as Change[], () => {});
const make = (change: unknown) => {
  keeper(change).keep();
  return selectors([change as Change]).every((what) => find(...what)[0]);
};
const $ = (selector: string) => document.querySelector(selector) as HTMLElement;

beforeEach(() => {
  document.body.innerHTML = PAGE;
});

describe("what a change may touch", () => {
  it("is nothing that runs, loads or rules something by itself", () => {
    const before = document.body.innerHTML;
    const evil = "https://evil.example/x";
    for (const id of ["sheet", "rules", "code", "later", "frame", "title"]) {
      const selector = `#${id}`;
      expect(make({ link: { selector, to: evil } })).toBe(false);
      expect(make({ picture: { selector, address: evil } })).toBe(false);
      if (id !== "frame" && id !== "title") expect(make({ words: { selector, text: "x" } })).toBe(false);
    }
    expect(document.body.innerHTML).toBe(before);
  });

  it("is a link's address and a picture's", () => {
    for (const selector of ["#go", "#drawn"]) expect(make({ link: { selector, to: "/b" } })).toBe(true);
    expect(make({ picture: { selector: "#shown", address: "/b.png" } })).toBe(true);
    expect(make({ words: { selector: "#title", text: "Bees" } })).toBe(true);
    expect(document.querySelector("#go")?.getAttribute("href")).toBe("/b");
    expect(document.querySelector("#shown")?.getAttribute("src")).toBe("/b.png");
    expect(document.querySelector("#title")?.textContent).toBe("Bees");
  });
});

describe("what is kept", () => {
  const panel = (selector: string) => ({ block: { selector, place: "before", template: "panel", title: "New" } });

  it("is one block, however often the page is looked at and the element drawn anew", () => {
    document.body.innerHTML = "<main><div id=a>A</div><div>B</div></main>";
    const own = keeper(panel("main > div:nth-child(1)"), {
      words: { selector: "main > div:nth-of-type(2)", text: "C" },
    });
    for (let n = 0; n < 5; n++) {
      own.keep();
      const fresh = document.createElement("div");
      fresh.textContent = `A${n}`;
      if (n % 2) $("main > div").replaceWith(fresh);
      own.keep();
    }
    expect(document.querySelectorAll("[data-clabo-block]").length).toBe(1);
    expect($("main").textContent).toBe("NewA3C");
    own.undo();
    expect($("main").innerHTML).toBe("<div>A3</div><div>B</div>");
  });

  it("says all of what an element says, whatever is in it and whoever writes there", () => {
    document.body.innerHTML = "<h1>Start <b>today</b> with <i></i></h1>";
    const state = $("i").appendChild(document.createTextNode("1"));
    const own = keeper({ words: { selector: "h1", text: "New" } });
    own.keep();
    expect($("h1").textContent).toBe("New");
    state.data = "2";
    own.keep();
    expect($("h1").textContent).toBe("New");
    ($("h1").firstChild as Text).data = "Begin ";
    own.keep();
    expect($("h1").innerHTML).toBe("New<b></b><i></i>");
    // It goes back to what the page wrote last.
    own.undo();
    expect($("h1").textContent).toBe("Begin today with 2");
  });

  it("leaves what another page has written", () => {
    document.body.innerHTML = "<h1>One</h1>";
    const own = keeper({ words: { selector: "h1", text: "New" } });
    own.keep();
    ($("h1").firstChild as Text).data = "Two";
    own.undo();
    expect($("h1").textContent).toBe("Two");
  });

  it("moves by a copy, and takes no element from its parent", () => {
    document.body.innerHTML =
      "<main><p>a</p><p>b</p><p onclick='this.dataset.ran = 1'>c</p></main><form id=f><input></form>";
    const [a, b, c] = Array.from(document.querySelectorAll("p")) as HTMLElement[];
    const own = keeper(
      { move: { selector: "main > p:nth-of-type(3)", place: "before", of: "main > p:nth-of-type(1)" } },
      { move: { selector: "main > p:nth-of-type(2)", place: "before", of: "main > p:nth-of-type(3)" } },
      { move: { selector: "#f", place: "before", of: "main" } },
    );
    const shown = () =>
      Array.from(document.querySelectorAll<HTMLElement>("main > p"))
        .filter((p) => p.style.display !== "none")
        .map((p) => p.textContent)
        .join("");
    for (let n = 0; n < 4; n++) own.keep();
    expect(shown()).toBe("bca");
    expect([a, b, c].every((p) => p?.parentElement === $("main"))).toBe(true);
    // What the page writes into the element is seen in the copy.
    (c?.firstChild as Text).data = "C";
    own.keep();
    expect(shown()).toBe("bCa");
    expect(document.querySelectorAll("[onclick]").length).toBe(1);
    let clicked = 0;
    c?.addEventListener("click", () => clicked++);
    (document.querySelectorAll("main > p")[1] as HTMLElement).click();
    expect(clicked).toBe(1);
    // Fields would lose what is entered: nothing is done.
    expect(document.body.lastElementChild?.id).toBe("f");
    own.undo();
    expect($("main").textContent).toBe("abC");
    expect($("main").querySelectorAll("[data-clabo-block]").length).toBe(0);
  });

  it("gives an element up that the page writes over without end, and no other", () => {
    document.body.innerHTML = "<p>a</p><p>b</p>";
    const lost: unknown[] = [];
    const change = { words: { selector: "p", text: "New" } } as Change;
    const own = new Keeper(
      [change],
      () => {},
      (what) => lost.push(what),
    );
    for (let n = 0; n < 50; n++) {
      own.keep();
      ($("p").firstChild as Text).data = `a${n}`;
    }
    own.keep();
    expect(lost).toEqual([change]);
    expect(Array.from(document.querySelectorAll("p"), (p) => p.textContent)).toEqual(["a49", "New"]);
  });

  it("reaches into open shadow trees", () => {
    document.body.innerHTML = "<x-card></x-card>";
    $("x-card").attachShadow({ mode: "open" }).innerHTML = "<h2>One</h2>";
    keeper({ words: { selector: "x-card >> h2", text: "New" } }).keep();
    expect($("x-card").shadowRoot?.textContent).toBe("New");
  });
});

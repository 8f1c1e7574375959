import { beforeEach, describe, expect, it } from "vitest";
import { find, keep, type Making, patience, selectors } from "../src/changing";
import type { Change } from "../src/settings";

const PAGE = `<link id="sheet" rel="stylesheet"><style id="rules">h1{}</style><script id="code" type="text/plain">x</script>
<template id="later"><b>x</b></template><iframe id="frame"></iframe><svg><a id="drawn"><text>x</text></a></svg>
<a id="go" href="/a">Go</a><img id="shown" src="/a.png"><h1 id="title">Hives</h1>`;

const make = (change: unknown) => {
  const changes = [change as Change];
  keep(changes, new Map() as Making, patience());
  return selectors(changes).every(([selector, fallback, of]) => find(selector, fallback, of)[0]);
};

describe("what a change may touch", () => {
  beforeEach(() => {
    document.body.innerHTML = PAGE;
  });

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

import { afterEach, describe, expect, it, vi } from "vitest";
import { attribute, fits, guard, json, newId, tab, tried, within } from "../src/safe";

afterEach(() => vi.restoreAllMocks());

describe("JSON", () => {
  const values = [
    'a"b\\c\n\u2028é🐝',
    { list: [1, -2.5, 1e21, true, false, null, [], {}], 'key "x"': "y", "": 0 },
    { gone: undefined, kept: 0 },
  ];
  it("is what the browser would read back, in ASCII", () => {
    for (const value of values) {
      const text = json(value);
      expect(JSON.parse(text)).toEqual(JSON.parse(JSON.stringify(value)));
      expect(text).toMatch(/^[\x20-\x7e]*$/);
    }
  });
  it("needs nothing that a page may have replaced", () => {
    vi.spyOn(JSON, "stringify").mockReturnValue("x");
    const odd = Array.prototype as { toJSON?: () => string };
    odd.toJSON = () => "x";
    expect(json([1, { a: ["b"] }])).toBe('[1,{"a":["b"]}]');
    delete odd.toJSON;
  });
  it("has nothing for what JSON does not know", () => {
    expect(json([Number.NaN, Number.POSITIVE_INFINITY, () => 1, Symbol("x")])).toBe("[null,null,null,null]");
  });
});

describe("ids", () => {
  it("are 32 digits and differ, also without the browser's own random numbers", () => {
    const made = () => Array.from({ length: 500 }, newId);
    vi.spyOn(crypto, "getRandomValues").mockImplementation(() => {
      throw new Error("page");
    });
    const poor = made();
    vi.restoreAllMocks();
    vi.spyOn(Math, "random").mockReturnValue(0);
    const all = [...poor, ...made()];
    for (const id of all) expect(id).toMatch(/^[0-9a-f]{32}$/);
    expect(new Set(all).size).toBe(1000);
  });
});

describe("a form whose fields are named like its own properties", () => {
  it("is read all the same", () => {
    document.body.innerHTML =
      "<div data-x><form id=f><input name=id><input name=closest><input name=getAttribute><input name=matches></form></div>";
    const form = document.querySelector("form") as HTMLFormElement;
    expect(attribute(form, "id")).toBe("f");
    expect(fits(form, "form")).toBe(true);
    expect(within(form, "[data-x]")).toBeTruthy();
    expect(fits(null, "form") || fits(window, "form")).toBe(false);
  });
});

it("lets nothing out", () => {
  const bad = () => {
    throw new Error("x");
  };
  expect(tried(bad)).toBe(undefined);
  expect(guard(bad)()).toBe(undefined);
});

it("knows whether a tab remembers", () => {
  expect([tab.set("a", "1"), tab.get("a"), tab.get("b")]).toEqual([true, "1", null]);
  vi.stubGlobal("sessionStorage", undefined);
  expect([tab.set("a", "2"), tab.get("a")]).toEqual([false, undefined]);
  vi.unstubAllGlobals();
});

import { beforeEach, describe, expect, it, vi } from "vitest";
import entrants from "../entrant-vectors.json";
import vectors from "../split-vectors.json";
import { admits, type Entrants, type Facts } from "../src/entrants";
import type { Variant } from "../src/settings";
import { assign, enters, hash32, route } from "../src/splits";

describe("who may be in it", () => {
  it("is as the server says", () => {
    for (const { tag, facts, in: allowed } of entrants)
      expect(
        admits(tag as Entrants, [facts.device, facts.first, facts.search, facts.referrer]),
        JSON.stringify([tag, facts]),
      ).toBe(allowed);
    expect(entrants.length).toBeGreaterThan(50);
  });

  it("is asked once: who has been let in stays in", () => {
    localStorage.clear();
    const test = { key: "w", host: "", variants: [], who: { devices: ["phone"] } };
    const on = (device: string) => () => [device, true, "", ""] as Facts;
    expect(["desktop", "phone", "desktop"].map((device) => Boolean(enters(test, on(device))))).toEqual([
      false,
      true,
      true,
    ]);
  });
});

describe("the split", () => {
  it("is the server's own", () => {
    for (const { visitor, test, shares, traffic, hash, variant, ...slot } of vectors) {
      const variants = shares.map((share, index): Variant => [`${index}`, "", share]);
      const chosen = assign(visitor, { key: test, traffic, host: "", variants, ...slot });
      expect(hash32(`${test}.${visitor}`)).toBe(hash);
      expect(chosen ? Number(chosen[0]) : null).toBe(variant);
    }
    expect(vectors.length).toBeGreaterThan(50);
  });
});

describe("where a visitor is sent on to", () => {
  const site = {
    key: "k",
    to: "",
    hosts: [],
    tests: [
      {
        key: "t",
        traffic: 100,
        host: "shop.example",
        variants: [
          ["A", "/a", 0],
          ["B", "/b%C3%A9", 100],
        ] as Variant[],
      },
    ],
  };
  const at = (path: string, ledBack = vi.fn()) => {
    vi.stubGlobal("location", { host: "shop.example", pathname: path });
    const variants = {};
    const facts = () => ["desktop", true, "", ""] as Facts;
    return { to: route(site, "0".repeat(32), variants, ledBack, [], facts), variants, ledBack };
  };

  beforeEach(() => {
    vi.unstubAllGlobals();
    sessionStorage.clear();
    vi.useFakeTimers();
  });

  it("is told once, and ends at the control where the variant leads back", () => {
    expect(at("/a/").to).toBe("/b%C3%A9");
    const back = at("/a");
    expect([back.to, back.ledBack.mock.calls]).toEqual([undefined, [["t"]]]);
    const again = at("/a");
    expect([again.to, again.variants, again.ledBack.mock.calls]).toEqual([undefined, {}, []]);
  });

  it("is a page that leads back by script, too, if nobody has touched it", () => {
    at("/a");
    expect(at("/b%c3%a9").variants).toEqual({ t: "B" });
    vi.advanceTimersByTime(5000);
    expect(at("/a").ledBack).toHaveBeenCalledWith("t");
  });

  it("is told anew where a visitor goes back to the control by hand", () => {
    at("/a");
    at("/b%C3%A9");
    dispatchEvent(new Event("pointerdown"));
    const again = at("/a");
    expect([again.to, again.ledBack.mock.calls]).toEqual(["/b%C3%A9", []]);
  });

  it("is nowhere where a tab can remember nothing", () => {
    vi.stubGlobal("sessionStorage", undefined);
    expect(at("/a").to).toBe(undefined);
  });
});

import { describe, expect, it } from "vitest";
import vectors from "../page-vectors.json";
import { holds, page } from "../src/place";

const none = { key: "k", to: "", hosts: [], tests: [] };

describe("the page that an address shows", () => {
  it("is the server's own", () => {
    for (const { url, meaningful, fragment, host, path } of vectors) {
      const found = page({ ...none, meaningful, fragment }, new URL(url));
      expect([url, found.host, found.path]).toEqual([url, host, path]);
    }
    expect(vectors.length).toBeGreaterThan(100);
  });

  it("is another host's where one stands for it", () => {
    const at = new URL("https://staging.example/a");
    expect(page({ ...none, stand: { "staging.example": "shop.example" } }, at).host).toBe("shop.example");
  });

  it("is compared with a path, or with host and path", () => {
    const at = new URL("https://shop.example/a/b/");
    const where = (match: "equals" | "begins" | "contains", value: string) => holds(none, [{ match, value }], at);
    expect(where("equals", "/a/b")).toBe(true);
    expect(where("equals", "/a")).toBe(false);
    expect(where("equals", "shop.example/a/b")).toBe(true);
    expect(where("begins", "shop.example/a")).toBe(true);
    expect(where("begins", "/b")).toBe(false);
    expect(where("contains", "example/a")).toBe(true);
    expect(holds(none, undefined, at)).toBe(true);
  });
});

import { createHash } from "node:crypto";
import { describe, expect, it } from "vitest";
import vectors from "../identity-vectors.json";
import { digest, type Identity, normalise } from "../src/identity";

describe("identities", () => {
  it("are hashed as the server does it", () => {
    for (const { kind, text, hash } of vectors) expect(digest(kind as Identity, text)).toBe(hash);
    expect(vectors.length).toBeGreaterThan(8);
  });

  it("of any length are what the platform makes of them", () => {
    for (let length = 1; length < 300; length++) {
      const text = "aß€😀".repeat(length).slice(0, length);
      const whole = text.isWellFormed() ? text : text.slice(0, -1) || "a";
      const own = createHash("sha256").update(normalise("id", whole)).digest("hex");
      expect(digest("id", whole)).toBe(own);
    }
  });

  it("of nothing are nothing", () => {
    expect(digest("email", " \n ")).toBeUndefined();
  });
});

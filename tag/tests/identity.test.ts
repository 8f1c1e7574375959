import { describe, expect, it } from "vitest";
import vectors from "../identity-vectors.json";
import { digest, type Identity } from "../src/identity";

describe("identities", () => {
  it("are hashed as the server does it", () => {
    for (const { kind, text, hash } of vectors) expect(digest(kind as Identity, text)).toBe(hash);
    expect(vectors.length).toBeGreaterThan(50);
  });

  it("of nothing are nothing", () => {
    expect(digest("email", " \n ")).toBeUndefined();
  });
});

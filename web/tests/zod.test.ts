import { describe, expect, it } from "vitest";
import { email, filled, listOf, password } from "../src/lib/zod";

const messages = (
  schema: { safeParse: (v: unknown) => { error?: { issues: { message: string }[] } } },
  value: unknown,
) => schema.safeParse(value).error?.issues.map((i) => i.message) ?? [];

describe("what forms are held against", () => {
  it("says what to do", () => {
    expect(messages(filled("Say who."), "  ")).toEqual(["Say who."]);
    expect(messages(email, "ada@hive")).toEqual(["This is no e-mail address. It looks like ada@brackenhive.example."]);
    expect(messages(email, " ada@hive.example ")).toEqual([]);
    expect(messages(password, "short")).toEqual(["At least 10 characters."]);
  });
  it("keeps spaces in a password", () => {
    expect(password.parse(" ten chars ")).toBe(" ten chars ");
  });
  it("takes lists with commas, spaces or a line each", () => {
    expect(listOf(" a, b\n\nc  d,")).toEqual(["a", "b", "c", "d"]);
    expect(listOf(" \n ")).toEqual([]);
  });
});

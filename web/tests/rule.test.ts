import { describe, expect, it } from "vitest";
import { blank, CONDITIONS, complete, kindOf } from "../src/features/conversions/builder/conditions";
import {
  asGroup,
  type ConditionKey,
  called,
  grouped,
  isGroup,
  isNot,
  keyOf,
  partsOf,
  type Rule,
  simplified,
} from "../src/features/conversions/builder/rule";

const page = (value: string): Rule => ({ page: { match: "equals", value } });
const keys = Object.keys(CONDITIONS) as ConditionKey[];

describe("rules as the screen handles them", () => {
  it("shows every rule as a group and stores a group of one as that one", () => {
    expect(asGroup(page("/a"))).toEqual({ all: [page("/a")] });
    expect(simplified({ all: [page("/a")] })).toEqual(page("/a"));
    expect(simplified({ all: [{ any: [{ all: [page("/a")] }] }] })).toEqual(page("/a"));
    const two: Rule = { all: [page("/a"), { not: { any: [page("/b")] } }] };
    expect(simplified(two)).toEqual({ all: [page("/a"), { not: page("/b") }] });
    expect(simplified(asGroup(simplified(two)))).toEqual(simplified(two));
  });
  it("tells groups, negations and conditions apart", () => {
    const rules: Rule[] = [page("/a"), { not: page("/a") }, { any: [page("/a")] }, { all: [] }];
    expect(rules.map(isGroup)).toEqual([false, false, true, true]);
    expect(rules.map(isNot)).toEqual([false, true, false, false]);
    expect(partsOf(grouped("any", [page("/a")]))).toEqual([page("/a")]);
  });
});

describe("conditions", () => {
  it("begin blank under their own key", () => {
    for (const key of keys) {
      expect(keyOf(blank(key))).toBe(key);
      expect(kindOf(key).says.length).toBeGreaterThan(5);
    }
  });
  it("are complete once what must be filled in is", () => {
    const blanks = Object.fromEntries(keys.map((key) => [key, complete(blank(key))]));
    expect(blanks).toEqual({
      page: false,
      form: true,
      message: false,
      shown: false,
      click: true,
      event: false,
      step: true,
      sale: true,
      outcome: true,
      seen: true,
      stay: true,
      scroll: true,
      on: false,
      parameter: false,
    });
    expect(complete({ all: [] })).toBe(false);
    expect(complete({ all: [page("/a"), page(" ")] })).toBe(false);
    expect(complete({ not: { any: [page("/a"), { shown: { text: "Thanks" } }] } })).toBe(true);
    const test = { property: "", comparison: "is", value: 1 } as const;
    expect(complete({ event: { name: "order", where: [test] } })).toBe(false);
    expect(complete({ event: { name: "order", where: [{ ...test, property: "value" }] } })).toBe(true);
  });
});

describe("what elements are called", () => {
  it("by what tells them apart", () => {
    const element = (traits: object) => ({ id: "", name: "", ...traits }) as never;
    expect(called("form", element({ id: "booking" }))).toBe("form booking");
    expect(called("form", element({ action: "/send" }))).toBe("form to /send");
    expect(called("tried", element({ fields: ["mail"] }))).toBe("form with mail");
    expect(called("click", element({ what: "phone", text: "Ring us" }))).toBe("phone number “Ring us”");
    expect(called("message", element({ origin: "https://f.example", values: { type: "sent" } }))).toBe(
      "type = sent from https://f.example",
    );
    expect([called("mark", null, "order"), called("step", null, "suits"), called("view", null)]).toEqual([
      "code said “order”",
      "suits",
      "",
    ]);
  });
});

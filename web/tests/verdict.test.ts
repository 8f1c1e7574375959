import { describe, expect, it } from "vitest";
import { shares, shortVerdict } from "../src/features/splits/verdict";
import { changed } from "../src/words/changed";
import { refusal } from "../src/words/refusals";

const test = (more: object) =>
  shortVerdict({ state: "running", verdict: "too_early", letter: null, days_left: null, ...more } as never);

describe("a verdict in few words", () => {
  it("names what to do, or that there is nothing to do yet", () => {
    expect(test({ verdict: "adopt", letter: "B" })).toEqual({ text: "adopt B", tone: "fern" });
    expect(test({ verdict: "broken_split" }).tone).toBe("brick");
    expect(test({ days_left: 12 }).text).toBe("too early: about 12 more days");
    expect(test({}).text).toBe("open");
    expect(test({ state: "ended" }).text).toBe("ended undecided");
    expect(test({ state: "draft", verdict: "adopt" }).text).toBe("not started");
  });
  it("writes shares whole where they are", () => {
    expect(shares([50, 50])).toBe("50 : 50");
    expect(shares([49.83, 50.17])).toBe("49.8 : 50.2");
  });
});

describe("words for what happened", () => {
  it("of a changed rule", () => {
    const v = { version: 2, made_at: "", added: 41, removed: 3, changed_since: "2026-10-27T08:00:00Z" };
    expect(changed(v)).toBe("41 more, 3 fewer since 27 Oct");
    expect(changed({ ...v, removed: 0, changed_since: null })).toBe("41 more");
    expect(changed({ ...v, added: 0, removed: 0 })).toBe("no conversion more or fewer");
    expect(changed({ ...v, added: null })).toBe("");
  });
  it("of a refusal, also of one that is new", () => {
    expect(refusal("foreign_host")).toBe("a host that is not the site’s");
    expect(refusal("some_new_reason")).toBe("some new reason");
  });
});

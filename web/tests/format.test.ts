import { afterEach, describe, expect, it } from "vitest";
import {
  ago,
  clock,
  count,
  day,
  dayOf,
  foreignZone,
  hour,
  money,
  per100,
  percent,
  plural,
  pValue,
  several,
  signed,
  times,
  weekday,
  words,
  writeAsIn,
  writeTimesIn,
} from "../src/lib/format";

const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
afterEach(() => writeTimesIn(here));

describe("numbers", () => {
  it("says a dash for what is not known, and never for nothing", () => {
    expect([
      count(null),
      percent(undefined),
      money(null, "EUR"),
      times(null),
      pValue(null),
      day(null),
      hour(""),
    ]).toEqual(Array(7).fill("–"));
    expect([count(0), percent(0), money(0, "EUR"), times(0)]).toEqual(["0", "0.00\u00a0%", "€0.00", "0.00×"]);
  });
  it("groups thousands and keeps money to its digits", () => {
    expect([count(9638), money("1234.5", "EUR"), money(1234.5, "EUR", 0), money(12.345)]).toEqual([
      "9,638",
      "€1,234.50",
      "€1,235",
      "12.35",
    ]);
  });
  it("shows small differences with one digit more", () => {
    expect([per100(0.034), per100(0.0058), per100(-0.0094), per100(0.0095)]).toEqual(["3.4", "0.58", "-0.94", "0.9"]);
    expect([signed(0.345), signed(-2), signed(0), signed(1.26, 1)]).toEqual(["+0.34", "−2.00", "0.00", "+1.3"]);
  });
  it("never says a p-value of nought", () => {
    expect([pValue(0), pValue(0.00009), pValue(0.0042), pValue(0.71)]).toEqual([
      "< 0.0001",
      "< 0.0001",
      "0.0042",
      "0.71",
    ]);
  });
});

describe("days", () => {
  const late = "2026-10-24T22:30:00Z";
  it("writes moments in the site's zone, across midnight and the clock's change", () => {
    writeTimesIn("Europe/Vienna");
    expect([day(late), dayOf(new Date(late)), hour(late)]).toEqual(["25 Oct", "2026-10-25", "25 Oct, 00:30"]);
    expect(hour("2026-10-25T01:30:00Z")).toBe("25 Oct, 02:30");
    expect(clock("2026-06-01T10:00:05Z")).toBe("12:00:05");
    writeTimesIn("America/New_York");
    expect(dayOf(new Date(late))).toBe("2026-10-24");
  });
  it("does not move a day that has no time", () => {
    writeTimesIn("Pacific/Auckland");
    expect([day("2026-10-25"), weekday("2026-10-25")]).toEqual(["25 Oct", "Sunday"]);
  });
  it("tells a zone only where it is not the browser's", () => {
    expect(foreignZone()).toBeUndefined();
    writeTimesIn(here === "Asia/Tokyo" ? "UTC" : "Asia/Tokyo");
    expect(foreignZone()).toBeDefined();
  });
  it("says how long ago in the largest unit that fits", () => {
    const now = Date.parse("2026-11-27T12:00:00Z");
    const past = (seconds: number) => ago(new Date(now - seconds * 1000).toISOString(), now);
    expect([past(-5), past(89), past(90), past(5399), past(5400), past(129_599)]).toEqual([
      "0 s ago",
      "89 s ago",
      "2 min ago",
      "90 min ago",
      "2 h ago",
      "36 h ago",
    ]);
    expect(past(129_600)).toBe("26 Nov");
    expect(ago(null)).toBe("never");
  });
});

describe("names", () => {
  it("adds an s only to what takes one", () => {
    expect([several("starter_kit_order"), several("kit_configured"), several("phone_call")]).toEqual([
      "starter kit orders",
      "kit configured",
      "phone calls",
    ]);
    expect([plural("purchase"), plural(undefined), plural("nonsense"), words("a_b_c")]).toEqual([
      "orders",
      "conversions",
      "conversions",
      "a b c",
    ]);
  });
});

describe("a language of numbers and dates", () => {
  it("writes all of them alike, and goes back", () => {
    writeAsIn("de-DE");
    const said = [count(12345), percent(0.1234), money(1234.5, "EUR"), times(2.5), signed(-1.25), day("2026-12-02")];
    writeAsIn("en-GB");
    expect(said.map((text) => text.replace(/\u00a0/g, " "))).toEqual([
      ...["12.345", "12,34 %", "1.234,50 €", "2,50×", "−1,25", "2. Dez."],
    ]);
    expect([count(12345), percent(0.1234)]).toEqual(["12,345", "12.34\u00a0%"]);
  });
});

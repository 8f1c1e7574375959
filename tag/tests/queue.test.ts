import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { batch, carry, MOST, makeQueue, ROOM, type Sent } from "../src/queue";

const event = (id: number, more: Partial<Sent> = {}): Sent => ({ id: `${id}`, kind: "mark", at: 0, url: "u", ...more });
const who = { visitor: "v", device: "desktop" };
const settings = { key: "k", to: "https://c.example", hosts: [], tests: [] };

describe("a batch", () => {
  it("says each address once, and how long ago each event was", () => {
    const { body, some } = batch([event(1), event(2, { url: "w", at: 40 }), event(3)], who, 0, 50);
    const read = JSON.parse(body);
    expect(read).toEqual({
      ...who,
      urls: ["u", "w"],
      events: [
        { id: "1", kind: "mark", page: 0, age: 50 },
        { id: "2", kind: "mark", page: 1, age: 10 },
        { id: "3", kind: "mark", page: 0, age: 50 },
      ],
    });
    expect(some.length).toBe(3);
  });

  it("is cut by bytes and by number, and leaves nothing out", () => {
    const chances = [0, 10, 900, 4000];
    let waiting = Array.from({ length: 170 }, (_, i) =>
      event(i, { name: "ж".repeat(chances[i % 4] as number), url: `u${i % 3}`.repeat(600) }),
    );
    const seen: string[] = [];
    while (waiting.length) {
      const made = batch(waiting, who, 0, 0);
      expect(made.body.length).toBeLessThanOrEqual(ROOM);
      expect(new TextEncoder().encode(made.body).length).toBe(made.body.length);
      const { events } = JSON.parse(made.body);
      expect(events.length).toBeLessThanOrEqual(MOST);
      seen.push(...events.map((e: Sent) => e.id));
      waiting = waiting.filter((e) => !made.some.includes(e));
    }
    expect(seen).toEqual(Array.from({ length: 170 }, (_, i) => `${i}`));
  });

  it("drops what can never be sent, and says how many", () => {
    expect(JSON.parse(batch([event(2)], who, 3, 0).body).dropped).toBe(3);
    const large = event(1, { name: "x".repeat(ROOM) });
    expect(batch([large, event(2)], who, 0, 0)).toEqual({ some: [], body: "" });
    expect(batch([], who, 0, 0)).toEqual({ some: [], body: "" });
  });
});

describe("delivery", () => {
  const answer = (status: number, mark: string | null = "1") => ({ status, headers: { get: () => mark } });
  const by = (given: unknown) => carry(() => (async () => given) as unknown as typeof fetch, "u")("b");

  it("is the collector's own answer alone", async () => {
    expect(await by(answer(204))).toBe(true);
    expect(await by(answer(413))).toBe(true);
    expect(await by(answer(200, null))).toBe(false);
    expect(await by(answer(503))).toBe(false);
    expect(await by(answer(429))).toBe(false);
    await expect(by(null)).rejects.toThrow();
  });
});

describe("the queue", () => {
  const asked: { body: string; tell: (gone: unknown) => void }[] = [];
  const beacons: string[] = [];
  const left = { value: false };
  let known: { who: typeof who; left: boolean } | undefined;
  const other = vi.fn();

  const make = () =>
    makeQueue(
      settings,
      () => known,
      (_name, value, seconds) => {
        left.value = value === "1" && seconds > 0;
      },
      () => other(),
    );
  const ids = (body = "{}") => (JSON.parse(body).events ?? []).map((e: Sent) => e.id);
  const stored = () => JSON.parse(localStorage.getItem("clabo_k") ?? "[]").map((e: Sent) => e.id);

  beforeEach(() => {
    vi.useFakeTimers();
    localStorage.clear();
    asked.length = beacons.length = 0;
    known = { who, left: false };
    left.value = false;
    other.mockReset();
    vi.stubGlobal(
      "fetch",
      (_to: string, { body }: { body: string }) => new Promise((tell) => asked.push({ body, tell })),
    );
    vi.stubGlobal("navigator", { sendBeacon: (_to: string, body: string) => beacons.push(body) > 0 });
  });
  afterEach(() => vi.useRealTimers());
  const now = (id: number) => event(id, { at: Date.now() });
  const answered = async (at: number, status = 204) => {
    asked[at]?.tell({ status, headers: { get: () => "1" } });
    await vi.advanceTimersByTimeAsync(0);
  };

  it("sends one batch after the other, each once", async () => {
    const queue = make();
    for (let i = 0; i < 60; i++) queue.add(now(i));
    await vi.advanceTimersByTimeAsync(50);
    expect(asked.map((a) => ids(a.body).length)).toEqual([50]);
    await answered(0);
    await vi.advanceTimersByTimeAsync(50);
    expect(asked.map((a) => ids(a.body).length)).toEqual([50, 10]);
    await answered(1);
    await vi.advanceTimersByTimeAsync(60_000);
    expect([asked.length, stored(), left.value]).toEqual([2, [], false]);
  });

  it("is not held up by what can never be sent, and says how many there were", async () => {
    const queue = make();
    queue.add({ ...now(1), name: "x".repeat(ROOM) });
    queue.add(now(2));
    await vi.advanceTimersByTimeAsync(50);
    expect([ids(asked[0]?.body), JSON.parse(asked[0]?.body ?? "").dropped]).toEqual([["2"], 1]);
    await answered(0);
    queue.add(now(3));
    await vi.advanceTimersByTimeAsync(50);
    expect(JSON.parse(asked[1]?.body ?? "").dropped).toBe(undefined);
  });

  it("keeps what failed, and sends it again later and later", async () => {
    const queue = make();
    queue.add(now(1));
    await vi.advanceTimersByTimeAsync(50);
    await answered(0, 503);
    expect([stored(), left.value]).toEqual([["1"], true]);
    await vi.advanceTimersByTimeAsync(1900);
    expect(asked.length).toBe(1);
    await vi.advanceTimersByTimeAsync(200);
    expect(ids(asked[1]?.body)).toEqual(["1"]);
    await answered(1);
    expect([stored(), left.value]).toEqual([[], false]);
  });

  it("gives up an answer that never comes, and takes another way", async () => {
    const way = vi.fn(async () => true);
    other.mockReturnValue(way);
    const queue = make();
    queue.add(now(1));
    await vi.advanceTimersByTimeAsync(15_100);
    expect(asked.length).toBe(1);
    await vi.advanceTimersByTimeAsync(2100);
    expect(way).toHaveBeenCalledTimes(1);
    expect([asked.length, stored()]).toEqual([1, []]);
  });

  it("sends all that fits when the page is left, and keeps it until an answer was seen", async () => {
    const queue = make();
    queue.add(now(1));
    queue.leave();
    expect([ids(beacons[0]), stored(), left.value]).toEqual([["1"], ["1"], true]);
    queue.add(now(2));
    expect(stored()).toEqual(["1", "2"]);
    // The next page.
    known = { who, left: true };
    const next = make();
    next.add(now(3));
    await vi.advanceTimersByTimeAsync(50);
    expect(ids(asked.at(-1)?.body)).toEqual(["1", "2", "3"]);
  });

  it("drops all once consent is gone, and what is over a day old", async () => {
    const queue = make();
    queue.add(now(1));
    known = undefined;
    await vi.advanceTimersByTimeAsync(50);
    expect(asked).toEqual([]);
    known = { who, left: false };
    queue.add(event(2, { at: Date.now() - 9e7 }));
    queue.add(now(3));
    await vi.advanceTimersByTimeAsync(50);
    expect(ids(asked[0]?.body)).toEqual(["3"]);
  });

  it("is not stopped by what it finds in storage", async () => {
    for (const odd of ["", "{", "7", "null", "[null,7,{}]"]) {
      localStorage.setItem("clabo_k", odd);
      known = { who, left: true };
      asked.length = 0;
      make().add(now(1));
      await vi.advanceTimersByTimeAsync(50);
      expect(ids(asked[0]?.body)).toEqual(["1"]);
    }
  });
});

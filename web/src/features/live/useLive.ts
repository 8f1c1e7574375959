/** What comes in, as the server sends it: the last hits, newest first, and how they arrive. */
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";

export type Hit = Schemas["HitOut"];
export type Now = Schemas["NowOut"];

const MOST = 300;

/** Whatever came twice once, in the order of the events' own time. */
export function merged(before: Hit[], fresh: Hit[]): Hit[] {
  const byId = new Map(before.map((hit) => [hit.id, hit]));
  for (const hit of fresh) byId.set(hit.id, hit);
  return [...byId.values()].sort((a, b) => (a.time < b.time ? 1 : a.time > b.time ? -1 : 0)).slice(0, MOST);
}

export function useLive(siteId: number) {
  const [hits, setHits] = useState<Hit[]>([]);
  const [now, setNow] = useState<Now>();
  const [lost, setLost] = useState(false);
  useEffect(() => {
    setHits([]);
    setNow(undefined);
    const stream = new EventSource(`/live/${siteId}`);
    stream.addEventListener("now", (e) => {
      setLost(false);
      setNow(JSON.parse(e.data));
    });
    stream.addEventListener("hits", (e) => setHits((before) => merged(before, JSON.parse(e.data))));
    // The browser connects again by itself, unless it was told to go away.
    stream.addEventListener("error", () => setLost(true));
    return () => stream.close();
  }, [siteId]);
  return { hits, now, lost };
}

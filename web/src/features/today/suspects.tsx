/** What looks forged: the site's key is public, so anyone can send. Nothing here is a proof. */
import type { Schemas } from "../../api/client";
import { count, day, many, money, words } from "../../lib/format";
import type { Note } from "./note";

type Suspect = Schemas["SuspectNote"];

const aside = (s: Suspect): Schemas["ExclusionIn"] => ({
  what: s.network ? "network" : s.visitor_id ? "visitor" : "period",
  network: s.network,
  visitor_id: s.visitor_id,
  from_at: s.network || s.visitor_id ? null : s.from_at,
  until_at: s.network || s.visitor_id ? null : s.until_at,
});

const usual = (n: number | null) => (n == null ? "–" : count(Math.round(n)));

export function suspects(t: Schemas["TodayOut"]): Note[] {
  return t.suspect.map((s): Note => {
    const note = { key: `suspect ${JSON.stringify(s)}`, tone: "marigold", act: { aside: aside(s) } } as const;
    const name = s.counting ? words(s.counting) : "";
    if (s.kind === "values")
      return {
        ...note,
        says: (
          <>
            <strong>
              One {name} is worth {money(s.value, t.currency)}
            </strong>
            , over five times the largest before it ({money(s.usual, t.currency)}).
          </>
        ),
        why: `${s.order ? `Order ${s.order}. ` : ""}Check if you have such an order. Excluded, its visitor is in no report.`,
        to: "live",
        go: "See Live",
      };
    if (s.kind === "beyond")
      return {
        ...note,
        act: s.visitor_id ? note.act : undefined,
        says: (
          <>
            <strong>
              {money(s.value, t.currency)} of {name} ({count(s.count)}×) stand in no sum
            </strong>
            : more than a day may bring without a proof.
          </>
        ),
        why: `${s.order ? `The last is order ${s.order}. ` : ""}If they are real, raise the limits of this conversion, or let your server sign its orders.`,
        to: "conversions",
        go: "See Conversions",
      };
    if (s.kind === "one_network")
      return {
        ...note,
        says: (
          <>
            <strong>
              {count(s.count)} times {name} in 7 days came from one network
            </strong>
            , {usual(s.usual)} from all others together.
          </>
        ),
        why: `Network ${s.network.slice(0, 6)}. An office or a partner may be behind it, or they are forged.`,
        to: "conversions",
        go: "See Conversions",
      };
    if (s.kind === "pages")
      return {
        ...note,
        says: (
          <>
            <strong>{many(s.count, "page")} seen for the first time</strong>{" "}
            {s.from_at ? `on ${day(s.from_at)}` : "in a day"}; usually {usual(s.usual)} are.
          </>
        ),
        why: s.network
          ? `Most of them came from one network, ${s.network.slice(0, 6)}. Excluded, it is in no report.`
          : "Addresses that nobody links to are forged, or a parameter of yours makes a page of every visit.",
        to: "pixel",
        go: "Open pages",
      };
    return {
      ...note,
      says: (
        <>
          <strong>
            {count(s.count)} {s.kind === "visits" ? "visits" : `times ${name}`} on {day(s.from_at)}
          </strong>
          , over twice what such a weekday brings at most; usually {usual(s.usual)}.
        </>
      ),
      why: "A campaign or a mention explains it, or it is forged. Excluded, that day’s visits are in no report.",
      to: s.kind === "visits" ? "pages" : "conversions",
      go: s.kind === "visits" ? "See Pages" : "See Conversions",
    };
  });
}

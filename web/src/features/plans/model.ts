/** A plan while it is written: as typed, and as it is sent. */
import type { Schemas } from "../../api/client";
import { count, day, several } from "../../lib/format";
import type { AdPlan, PlanIn, Seek } from "./queries";

export interface LineForm {
  audience: number | null;
  seek: Seek | null;
  share: string;
}

export interface CreativeForm {
  headline: string;
  text: string;
  button: string;
  picture: string;
  landing: string;
  share: string;
}

export interface PlanForm {
  name: string;
  channel: number;
  aim: number;
  lines: LineForm[];
  leftOut: number[];
  creatives: CreativeForm[];
  placements: string[];
  dailyBudget: string;
  highestClick: string;
  cap: number;
  first: string;
  last: string;
  sharing: "fixed" | "shared";
}

export const ANYONE: Seek = {
  town: "",
  km: 25,
  interests: [],
  every: false,
  youngest: 18,
  oldest: 90,
  devices: [],
};

export const blankCreative = (landing = ""): CreativeForm => ({
  headline: "",
  text: "",
  button: "",
  picture: "",
  landing,
  share: "1",
});

export function asWritten(plan: AdPlan | undefined, channel: number, aim: number): PlanForm {
  if (!plan)
    return {
      name: "",
      channel,
      aim,
      lines: [],
      leftOut: [],
      creatives: [],
      placements: [],
      dailyBudget: "15",
      highestClick: "0.90",
      cap: 3,
      first: "",
      last: "",
      sharing: "fixed",
    };
  return {
    name: plan.name,
    channel: plan.channel,
    aim: plan.aim,
    lines: plan.lines.map((l) => ({
      audience: l.audience,
      seek: l.seek && { ...ANYONE, ...l.seek },
      share: plain(l.share),
    })),
    leftOut: plan.left_out,
    creatives: plan.creatives.map((c) => ({
      headline: c.headline,
      text: c.text,
      button: c.button,
      picture: c.picture,
      landing: c.page,
      share: plain(c.share),
    })),
    placements: plan.placements,
    dailyBudget: plain(plan.daily_budget),
    highestClick: plain(plan.highest_click, 2),
    cap: plan.cap,
    first: plan.first ?? "",
    last: plan.last ?? "",
    sharing: plan.sharing,
  };
}

const plain = (amount: string | number, digits = 0) => {
  const n = Number(amount);
  return n.toFixed(Number.isInteger(n) ? digits : 2);
};

export function asSent(form: PlanForm, name: string): PlanIn {
  return {
    name,
    channel: form.channel,
    aim: form.aim,
    lines: form.lines,
    left_out: form.leftOut,
    creatives: form.creatives,
    placements: form.placements,
    daily_budget: form.dailyBudget || "0",
    highest_click: form.highestClick || "0",
    cap: form.cap,
    first: form.first || null,
    last: form.last || null,
    sharing: form.sharing,
  };
}

/** How a plan is called that nobody has named: by its aim and whom it is for. */
export function proposedName(form: PlanForm, aim: string, audiences: Schemas["AudienceOut"][]): string {
  const first = form.lines[0];
  const whom = first?.audience
    ? audiences.find((a) => a.id === first.audience)?.name
    : first?.seek
      ? seekWords(first.seek)
      : "";
  return `${upper(several(aim))}${whom ? `: ${whom}` : ""}`.slice(0, 78);
}

const upper = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

export const capWords = (cap: number) =>
  cap === 0 ? "as often as may be" : cap === 1 ? "once a week" : `${cap} times a week`;

export function seekWords(seek: Seek): string {
  const parts = [
    seek.town ? `within ${seek.km} km of ${seek.town}` : "",
    seek.interests?.length ? `into ${seek.interests.join(seek.every ? " and " : " or ")}` : "",
    seek.youngest !== 18 || seek.oldest !== 90 ? `aged ${seek.youngest} to ${seek.oldest}` : "",
    seek.devices?.length ? `on a ${seek.devices.join(" or ")}` : "",
  ].filter(Boolean);
  return `new people${parts.length ? ` ${parts.join(", ")}` : ""}`;
}

export function lineWords(line: LineForm, audiences: Schemas["AudienceOut"][]): string {
  if (line.seek) return seekWords(line.seek);
  return audiences.find((a) => a.id === line.audience)?.name ?? "an audience that is gone";
}

export const until = (form: PlanForm) => (form.last ? `until ${day(form.last)}` : "until it is ended");

export const many = (n: number, one: string, more = `${one}s`) =>
  `${n === 1 ? "one" : count(n)} ${n === 1 ? one : more}`;

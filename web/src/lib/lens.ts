import type { Schemas } from "../api/client";

type Model = Schemas["LensOut"]["model"];

/** The lens as it stands in the URL. Words that are not there have the server's usual meaning. */
export interface Lens {
  period?: string;
  origin?: string;
  device?: string;
  /** Whose visits: an audience's. */
  audience?: number;
  conversion?: number;
  model?: Model;
  compare?: "none" | "before";
}

export function readLens(search: Record<string, unknown>): Lens {
  const text = (name: string) => (typeof search[name] === "string" && search[name] ? String(search[name]) : undefined);
  const id = (name: string) => {
    const value = Number(search[name]);
    return Number.isInteger(value) && value > 0 ? value : undefined;
  };
  return {
    period: text("period"),
    origin: text("origin"),
    device: text("device"),
    audience: id("audience"),
    conversion: id("conversion"),
    model: text("model") as Lens["model"],
    compare: text("compare") as Lens["compare"],
  };
}

/** Only the lens's words of an address's search. */
export function lensQuery({ period, origin, device, audience, conversion, model, compare }: Lens) {
  return { period, origin, device, audience, conversion, model, compare };
}

export const MODELS: Record<Model, string> = {
  last_paid: "last paid touch",
  last: "last touch",
  first: "first touch",
  linear: "all touches alike",
};

export const CHANNELS: Record<Schemas["LensOut"]["channels"][number], string> = {
  paid: "paid ads",
  email: "e-mail",
  affiliate: "affiliates",
  social: "social",
  search: "organic search",
  referral: "referrals",
  direct: "direct",
  other: "other campaigns",
};

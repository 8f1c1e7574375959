import type { Schemas } from "../api/client";

type Model = Schemas["LensOut"]["model"];

/** The lens as it stands in the URL. Words that are not there have the server's usual meaning. */
export interface Lens {
  period?: string;
  origin?: string;
  device?: string;
  conversion?: number;
  model?: Model;
  compare?: "none" | "before";
}

export function readLens(search: Record<string, unknown>): Lens {
  const text = (name: string) => (typeof search[name] === "string" && search[name] ? String(search[name]) : undefined);
  const conversion = Number(search.conversion);
  return {
    period: text("period"),
    origin: text("origin"),
    device: text("device"),
    conversion: Number.isInteger(conversion) && conversion > 0 ? conversion : undefined,
    model: text("model") as Lens["model"],
    compare: text("compare") as Lens["compare"],
  };
}

/** Only the lens's words of an address's search. */
export function lensQuery({ period, origin, device, conversion, model, compare }: Lens) {
  return { period, origin, device, conversion, model, compare };
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

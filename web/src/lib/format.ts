/** Numbers, money and days as they are written everywhere. Null is a dash. */
const DASH = "–";
let locale = "en-GB";
const formats = new Map<string, Intl.NumberFormat>();

/** From here on numbers and dates are written as in this language. */
export function writeAsIn(language: string) {
  locale = language;
  formats.clear();
}

function number(value: number, digits: number, currency?: string) {
  const key = `${digits} ${currency}`;
  let format = formats.get(key);
  if (!format) {
    const options = { minimumFractionDigits: digits, maximumFractionDigits: digits };
    format = new Intl.NumberFormat(locale, currency ? { style: "currency", currency, ...options } : options);
    formats.set(key, format);
  }
  return format.format(value);
}

/** Rounded as numbers are in files and mails, then written as in the language. */
const fixed = (value: number, digits: number) => number(Number(value.toFixed(digits)), digits);

export const count = (n: number | null | undefined) => (n == null ? DASH : number(n, 0));

export function percent(rate: number | null | undefined, digits = 2) {
  return rate == null ? DASH : `${fixed(rate * 100, digits)}\u00a0%`;
}

/** A difference of rates, per hundred. */
export const per100 = (rate: number) => fixed(rate * 100, Math.abs(rate) < 0.0095 ? 2 : 1);

export function signed(value: number, digits = 2) {
  return `${value > 0 ? "+" : value < 0 ? "−" : ""}${fixed(Math.abs(value), digits)}`;
}

export function money(value: string | number | null | undefined, currency?: string, digits?: number) {
  return value == null ? DASH : number(Number(value), digits ?? 2, currency);
}

export const times = (value: string | number | null | undefined) =>
  value == null ? DASH : `${fixed(Number(value), 2)}×`;

const browserZone = Intl.DateTimeFormat().resolvedOptions().timeZone;
let zone = browserZone;

/** From here on moments are written in this time zone: the site's, whose days the reports count. */
export function writeTimesIn(name: string) {
  zone = name;
}

/** The time zone in use, where it is not the browser's. */
export const foreignZone = () => (zone === browserZone ? undefined : zone);

const written = (at: Date, options: Intl.DateTimeFormatOptions) =>
  new Intl.DateTimeFormat(locale, { timeZone: zone, ...options }).format(at);

/** The day of a moment as YYYY-MM-DD, which is how days are written in Swedish. */
export const dayOf = (at: Date) => new Intl.DateTimeFormat("sv-SE", { timeZone: zone }).format(at);

export function day(iso: string | null | undefined) {
  if (!iso) return DASH;
  const options = { day: "numeric", month: "short" } as const;
  return iso.length === 10
    ? written(new Date(`${iso}T12:00:00Z`), { ...options, timeZone: "UTC" })
    : written(new Date(iso), options);
}

/** "Wednesday", of a day. */
export const weekday = (iso: string) => written(new Date(`${iso}T12:00:00Z`), { weekday: "long", timeZone: "UTC" });

/** "23 Nov, 14:02". */
export function hour(iso: string | null | undefined) {
  if (!iso) return DASH;
  return `${day(iso)}, ${written(new Date(iso), { hour: "2-digit", minute: "2-digit" })}`;
}

export function clock(iso: string) {
  return written(new Date(iso), { hour: "2-digit", minute: "2-digit", second: "2-digit" });
}

/** How long ago, in the largest fitting unit. */
export function ago(iso: string | null | undefined, now = Date.now()) {
  if (!iso) return "never";
  const seconds = Math.max(0, (now - new Date(iso).getTime()) / 1000);
  if (seconds < 90) return `${Math.round(seconds)} s ago`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min ago`;
  if (seconds < 129_600) return `${Math.round(seconds / 3600)} h ago`;
  return day(iso);
}

export function pValue(p: number | null | undefined) {
  return p == null ? DASH : p < 0.0001 ? "< 0.0001" : p.toFixed(p < 0.01 ? 4 : 2);
}

/** Names of conversions as words: starter_kit_order becomes starter kit order. */
export const words = (name: string) => name.replaceAll("_", " ");

const PLURALS: Record<string, string> = {
  purchase: "orders",
  lead: "leads",
  signup: "sign-ups",
  booking: "bookings",
  other: "conversions",
};
// What a conversion's name ends with where several of it can be spoken of by adding an s.
const NOUNS = new Set(
  "application booking call click contact conversion demo download event form guide kit lead letter link message offer order page payment purchase question quote registration rehearsal request reservation sale ship signup step subscription trial view visit visitor workshop".split(
    " ",
  ),
);

/** Several of a conversion by its name: "starter kit orders"; "kit configured" has no plural of its own. */
export function several(name: string): string {
  const said = words(name);
  return NOUNS.has(said.split(" ").at(-1) ?? "") ? `${said}s` : said;
}

/** A number with its noun: "1 visitor", "2 visitors", "1 person", "3 people". */
export function many(n: number, one: string, several = `${one}s`): string {
  return `${count(n)} ${n === 1 ? one : several}`;
}

export const plural = (category: string | undefined) => PLURALS[category ?? "other"] ?? "conversions";

/** The rule language as the screen handles it; clabo/core/rules reads it and has the last word. */
import type { Schemas } from "../../../api/client";

export type Match = "equals" | "begins" | "contains" | "pattern";
export type Comparison = "is" | "is_not" | "contains" | "at_least" | "at_most" | "above" | "below";
export interface PropertyTest {
  property: string;
  comparison: Comparison;
  value: string | number | boolean;
}

export interface Conditions {
  page: { match: Match; value: string };
  form: { id?: string; name?: string; action?: string; field?: string };
  message: { origin: string; at: string; value: string };
  shown: { selector?: string; text?: string };
  click: { what?: string; text?: string; to?: string; selector?: string };
  event: { name: string; where?: PropertyTest[] };
  seen: { pages: number };
  stay: { seconds: number };
  scroll: { percent: number };
  step: { link?: string };
  sale: { link?: string };
  on: { match: Match; value: string };
  parameter: { name: string; value?: string };
}
export type ConditionKey = keyof Conditions;
export type Leaf = { [K in ConditionKey]: { [P in K]: Conditions[K] } }[ConditionKey];
export type Group = { all: Rule[] } | { any: Rule[] };
export type Rule = Leaf | Group | { not: Rule };

export const CONDITIONS: Record<ConditionKey, { says: string; blank: Leaf; narrows?: true }> = {
  page: { says: "A page is reached", blank: { page: { match: "equals", value: "" } } },
  form: { says: "A form is sent", blank: { form: {} } },
  message: { says: "A frame says so", blank: { message: { origin: "", at: "", value: "" } } },
  shown: { says: "A thank-you appears", blank: { shown: {} } },
  click: { says: "Something is clicked", blank: { click: {} } },
  event: { says: "The site’s code says so", blank: { event: { name: "" } } },
  step: { says: "A bridge link is followed", blank: { step: {} } },
  sale: { says: "A sale is reported for a bridge link", blank: { sale: {} } },
  seen: { says: "So many pages were seen", blank: { seen: { pages: 3 } } },
  stay: { says: "A page was looked at for so long", blank: { stay: { seconds: 60 } } },
  scroll: { says: "A page was scrolled so far", blank: { scroll: { percent: 75 } } },
  on: { says: "… on a certain page", blank: { on: { match: "equals", value: "" } }, narrows: true },
  parameter: { says: "… with a parameter in the address", blank: { parameter: { name: "" } }, narrows: true },
};

export const isGroup = (rule: Rule): rule is Group => "all" in rule || "any" in rule;
export const isNot = (rule: Rule): rule is { not: Rule } => "not" in rule;
export const partsOf = (group: Group) => ("all" in group ? group.all : group.any);
export const grouped = (joint: "all" | "any", parts: Rule[]): Group =>
  joint === "all" ? { all: parts } : { any: parts };

export function keyOf(leaf: Leaf): ConditionKey {
  return Object.keys(leaf)[0] as ConditionKey;
}

/** A rule as a group, which is how the screen shows it. */
export const asGroup = (rule: Rule): Group => (isGroup(rule) ? rule : { all: [rule] });

/** The other way round: a group of one is that one. */
export function simplified(rule: Rule): Rule {
  if (isNot(rule)) return { not: simplified(rule.not) };
  if (!isGroup(rule)) return rule;
  const parts = partsOf(rule).map(simplified);
  const [only] = parts;
  return parts.length === 1 && only ? only : grouped("all" in rule ? "all" : "any", parts);
}

/** Whether everything that must be filled in is. */
export function complete(rule: Rule): boolean {
  if (isNot(rule)) return complete(rule.not);
  if (isGroup(rule)) return partsOf(rule).length > 0 && partsOf(rule).every(complete);
  if ("page" in rule) return rule.page.value.trim() !== "";
  if ("on" in rule) return rule.on.value.trim() !== "";
  if ("parameter" in rule) return rule.parameter.name.trim() !== "";
  if ("message" in rule)
    return [rule.message.origin, rule.message.at, rule.message.value].every((v) => v.trim() !== "");
  if ("shown" in rule) return Boolean(rule.shown.selector?.trim() || rule.shown.text?.trim());
  if ("event" in rule) return rule.event.name.trim() !== "" && (rule.event.where ?? []).every((t) => t.property !== "");
  return true;
}

export type Element = Schemas["ElementOut"];

export const CLICKED: Record<string, string> = {
  outbound: "link to another site",
  phone: "phone number",
  mail: "e-mail address",
  file: "file",
  link: "link",
  button: "button",
};

/** What an element is called in a list. */
export function called(kind: string, element: Element | null | undefined, name = ""): string {
  if (kind === "mark") return `code said “${name}”`;
  if (kind === "step" || kind === "sale") return name;
  if (!element) return "";
  if (kind === "form" || kind === "tried") {
    const id =
      element.id || element.name || (element.action && `to ${element.action}`) || `with ${element.fields?.join(", ")}`;
    return `form ${id}${element.origin ? ` in a frame of ${element.origin}` : ""}`;
  }
  if (kind === "click")
    return `${CLICKED[element.what ?? ""] ?? "element"} “${element.text || element.to || element.id}”`;
  if (kind === "message") {
    const said = Object.entries(element.values ?? {}).map(([key, value]) => `${key} = ${value}`);
    return `${said.join(", ") || Object.keys(element.keys ?? {}).join(", ")} from ${element.origin}`;
  }
  if (kind === "shown") return [element.selector, element.text && `“${element.text}”`].filter(Boolean).join(" ");
  return "";
}

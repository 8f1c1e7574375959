/** The rule language as the screen handles it; clabo/core/rules reads it and has the last word. */
import type { Schemas } from "../../../api/client";

export type Rule = Schemas["Rule"];
export type Group = Extract<Rule, { all: Rule[] } | { any: Rule[] }>;
type Negated = Extract<Rule, { not: Rule }>;
export type Leaf = Exclude<Rule, Group | Negated>;
type KeysOf<T> = T extends unknown ? keyof T : never;
export type ConditionKey = KeysOf<Leaf>;
/** What a kind of condition asks for: what stands under its key. */
export type Asked<K extends ConditionKey> = Extract<Leaf, Record<K, unknown>>[K];

export const isGroup = (rule: Rule): rule is Group => "all" in rule || "any" in rule;
export const isNot = (rule: Rule): rule is Negated => "not" in rule;
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
  if (kind === "form" || kind === "tried" || kind === "begun" || kind === "left") {
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

/** A definition as the screen writes it: lines, each with alternatives; clabo/core/audiences has the last word. */
import type { Schemas } from "../../api/client";
import { complete as ruleComplete } from "../conversions/builder/conditions";
import type { Rule } from "../conversions/builder/rule";

export type Audience = Schemas["AudienceOut"];
export type Definition = Schemas["AudienceDefinition"];
export type Node = Schemas["AudienceNode"];
export type Part = Schemas["AudiencePart"];
export type What = Schemas["AudienceWhat"];
export type Came = Schemas["AudienceCame"];

/** One line: alternatives, or something nested that is kept as it was written. */
export type Line = { parts: Part[] } | { node: Node };

export interface Draft {
  /** The included lines happen in this order, each within so many seconds of the one before (null: whenever). */
  inOrder: boolean;
  within: number | null;
  include: Line[];
  exclude: Line[];
}

export const LONGEST = 730;
export const isPart = (node: Node): node is Part => "what" in node;

export const blankPart = (what: What, to = 30): Part => ({ what, from: 0, to, times: 1 });
export const blankLine = (to = 30): Line => ({ parts: [blankPart({ page: { match: "equals", value: "" } }, to)] });

function lineOf(node: Node): Line {
  if (isPart(node)) return { parts: [node] };
  if ("any" in node && node.any.every(isPart)) return { parts: node.any as Part[] };
  return { node };
}

const linesOf = (nodes: Node[]) => nodes.map(lineOf);

export function toDraft(definition: Definition): Draft {
  const { include, exclude } = definition;
  const base = { inOrder: false, within: null };
  // Of what is left out, alternatives are lines of their own: each takes some away.
  const out = !exclude ? [] : "any" in exclude ? linesOf(exclude.any).flatMap(apart) : linesOf([exclude]);
  if ("sequence" in include)
    return {
      inOrder: true,
      within: include.within ?? null,
      include: linesOf(include.sequence),
      exclude: out,
    };
  if ("all" in include) return { ...base, include: linesOf(include.all), exclude: out };
  return { ...base, include: linesOf([include]), exclude: out };
}

const apart = (line: Line): Line[] => ("parts" in line ? line.parts.map((part) => ({ parts: [part] })) : [line]);

function nodeOf(line: Line): Node {
  if ("node" in line) return line.node;
  const parts = line.parts.map(stated);
  return parts.length === 1 && parts[0] ? parts[0] : { any: parts };
}

/** Whether it happens at a time. Being in an audience or on a list has no age. */
export const isTimed = (what: What) => !("audience" in what || "list" in what);
const stated = (part: Part): Part => (isTimed(part.what) ? part : { what: part.what });

export function toDefinition(draft: Draft): Definition {
  const include = draft.include.map(nodeOf);
  const exclude = draft.exclude.map(nodeOf);
  const [first] = include;
  return {
    include: draft.inOrder
      ? { sequence: include, ...(draft.within ? { within: draft.within } : {}) }
      : include.length === 1 && first
        ? first
        : { all: include },
    ...(exclude.length ? { exclude: exclude.length === 1 && exclude[0] ? exclude[0] : { any: exclude } } : {}),
  };
}

const OWN_KEYS = ["conversion", "came", "device", "visit", "variant", "audience", "list"] as const;
export type OwnKey = (typeof OWN_KEYS)[number];

export function keyOfWhat(what: What): OwnKey | "rule" {
  const [key] = Object.keys(what);
  return OWN_KEYS.find((own) => own === key) ?? "rule";
}

function whatComplete(what: What): boolean {
  if ("conversion" in what) return what.conversion > 0;
  if ("audience" in what) return what.audience > 0;
  if ("list" in what) return what.list > 0;
  if ("variant" in what) return what.variant.test > 0;
  if ("came" in what) return Object.values(what.came).some((text) => text?.trim());
  if ("device" in what || "visit" in what) return true;
  return ruleComplete(what as Rule);
}

export const complete = (draft: Draft) =>
  draft.include.length > 0 &&
  [...draft.include, ...draft.exclude].every(
    (line) =>
      "node" in line || line.parts.every((part) => whatComplete(part.what) && (part.from ?? 0) < (part.to ?? LONGEST)),
  );

/** Where a line lies in the definition, as the server names it. */
export function pathOf(draft: Draft, side: "include" | "exclude", place: number): string {
  const many = draft[side].length > 1;
  if (side === "exclude") return many ? `exclude.any[${place}]` : "exclude";
  return draft.inOrder ? `include.sequence[${place}]` : many ? `include.all[${place}]` : "include";
}

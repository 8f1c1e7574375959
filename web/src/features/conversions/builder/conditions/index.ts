/** All conditions, in the order in which they are offered. One that the server knows and this does not is a type error. */

import { type ConditionKey, isGroup, isNot, keyOf, type Leaf, partsOf, type Rule } from "../rule";
import { click } from "./click";
import { event } from "./event";
import { form } from "./form";
import type { ConditionKind } from "./kind";
import { message } from "./message";
import { on } from "./on";
import { outcome } from "./outcome";
import { page } from "./page";
import { parameter } from "./parameter";
import { sale } from "./sale";
import { scroll } from "./scroll";
import { seen } from "./seen";
import { shown } from "./shown";
import { stay } from "./stay";
import { step } from "./step";

export const CONDITIONS: { [K in ConditionKey]: ConditionKind<K> } = {
  page,
  form,
  message,
  shown,
  click,
  event,
  step,
  sale,
  outcome,
  seen,
  stay,
  scroll,
  on,
  parameter,
};

/** The kind of condition under a key, whichever it is. */
// biome-ignore lint/suspicious/noExplicitAny: a key and its value belong together, which no type can say here.
export const kindOf = (key: ConditionKey): ConditionKind<any> => CONDITIONS[key];

export const blank = (key: ConditionKey) => ({ [key]: kindOf(key).blank }) as Leaf;

export const askedOf = (leaf: Leaf) => Object.values(leaf)[0];

/** Whether everything that must be filled in is. */
export function complete(rule: Rule): boolean {
  if (isNot(rule)) return complete(rule.not);
  if (isGroup(rule)) return partsOf(rule).length > 0 && partsOf(rule).every(complete);
  return kindOf(keyOf(rule)).complete?.(askedOf(rule)) ?? true;
}

/** What the screen knows of one kind of condition; clabo/core/rules/conditions has the other half. */
import type { ReactNode } from "react";
import type { Asked, ConditionKey, Leaf } from "../rule";

export interface ConditionProps<K extends ConditionKey> {
  siteId: number;
  value: Asked<K>;
  set: (value: Asked<K>) => void;
  /** A pick from what was seen may be another kind of condition. */
  change: (leaf: Leaf) => void;
  error: (field: string) => string | undefined;
}

export interface ConditionKind<K extends ConditionKey> {
  /** As the list of conditions calls it. */
  says: string;
  blank: Asked<K>;
  /** Whether what must be filled in is. */
  complete?: (value: Asked<K>) => boolean;
  Fields: (props: ConditionProps<K>) => ReactNode;
}

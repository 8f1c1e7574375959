/** One condition of a rule: what it asks for. */
import { askedOf, kindOf } from "./conditions";
import { keyOf, type Leaf } from "./rule";

interface Props {
  siteId: number;
  leaf: Leaf;
  change: (leaf: Leaf) => void;
  error: (field: string) => string | undefined;
}

export function Condition({ siteId, leaf, change, error }: Props) {
  const key = keyOf(leaf);
  const { Fields } = kindOf(key);
  const set = (value: unknown) => change({ [key]: value } as Leaf);
  return <Fields siteId={siteId} value={askedOf(leaf)} set={set} change={change} error={error} />;
}

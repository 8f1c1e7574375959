/** Parts of one place, one of which is shown. Arrow keys go from one to the next (WAI-ARIA APG, tabs). */
import { Tabs as Radix } from "radix-ui";
import type { ReactNode } from "react";
import { cx } from "./ui";

interface Props<T extends string> {
  label: string;
  tabs: Record<T, string>;
  chosen: T;
  choose: (tab: T) => void;
  /** The part that is chosen. */
  children: ReactNode;
}

export function Tabs<T extends string>({ label, tabs, chosen, choose, children }: Props<T>) {
  return (
    <Radix.Root value={chosen} onValueChange={(tab) => choose(tab as T)} className="mt-3">
      <Radix.List aria-label={label} className="flex flex-wrap gap-x-5 border-b">
        {Object.entries<string>(tabs).map(([key, says]) => (
          <Radix.Trigger
            key={key}
            value={key}
            className={cx(
              "-mb-px border-b-2 px-0.5 py-1.5",
              key === chosen ? "border-ink font-semibold" : "border-transparent text-plum hover:border-line",
            )}
          >
            {says}
          </Radix.Trigger>
        ))}
      </Radix.List>
      <Radix.Content value={chosen} tabIndex={-1} className="outline-none">
        {children}
      </Radix.Content>
    </Radix.Root>
  );
}

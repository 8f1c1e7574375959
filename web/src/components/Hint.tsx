/** What a head leaves out or how it counts: on hovering, on focus, and for those who hear the screen. */
import { Tooltip } from "radix-ui";
import type { ReactNode } from "react";

export function Hint({ says, children }: { says: string; children: ReactNode }) {
  return (
    <Tooltip.Provider delayDuration={200}>
      <Tooltip.Root>
        <Tooltip.Trigger asChild>
          <button
            type="button"
            className="cursor-help text-left decoration-dotted underline-offset-4 hover:underline focus:underline"
          >
            {children}
          </button>
        </Tooltip.Trigger>
        <Tooltip.Portal>
          <Tooltip.Content
            sideOffset={4}
            className="z-50 max-w-72 rounded-box border border-ink bg-surface px-2.5 py-1.5 text-left text-small font-normal text-ink"
          >
            {says}
          </Tooltip.Content>
        </Tooltip.Portal>
      </Tooltip.Root>
    </Tooltip.Provider>
  );
}

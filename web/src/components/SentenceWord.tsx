/** An underlined word of a sentence, and what opens under it to change it. */
import { Popover } from "radix-ui";
import { type ReactNode, useState } from "react";
import { cx } from "./ui";

interface Props {
  /** What the word stands for: "Daily budget". */
  label: string;
  text: ReactNode;
  /** As it is read out, where `text` is more than words. */
  says?: string;
  className?: string;
  children: (close: () => void) => ReactNode;
}

export function SentenceWord({ label, text, says, className, children }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        aria-label={`${label}: ${says ?? text}. Change`}
        className="border-b-2 border-plum/40 text-left font-semibold text-plum hover:border-plum"
      >
        {text}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          collisionPadding={8}
          aria-label={label}
          className={cx("z-30 max-h-[70vh] overflow-auto rounded-box border bg-surface", className ?? "min-w-44 py-1")}
        >
          {children(() => setOpen(false))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

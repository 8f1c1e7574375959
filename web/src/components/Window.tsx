/** A button, and what it opens over everything else; the focus goes back to the button. */
import { Dialog } from "radix-ui";
import { type ReactNode, useState } from "react";
import { Button, type ButtonProps } from "./ui";

interface Props {
  name: string;
  kind?: ButtonProps["kind"];
  /** What stands in it; it may close it. */
  children: ReactNode | ((close: () => void) => ReactNode);
}

export function Window({ name, kind, children }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button kind={kind}>{name}</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-40 max-h-[85vh] w-[min(92vw,520px)] -translate-1/2 overflow-auto rounded-box border bg-surface p-5 text-ink outline-none"
        >
          <Dialog.Title className="mb-3 text-lg">{name}</Dialog.Title>
          {typeof children === "function" ? children(() => setOpen(false)) : children}
          <Dialog.Close asChild>
            <Button className="mt-4">Close</Button>
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** A button for what costs money, ends a measurement or deletes: it asks first, and says what follows. */
import { AlertDialog } from "radix-ui";
import type { ReactNode } from "react";
import { Button, type ButtonProps } from "./ui";

interface Props {
  name: string;
  kind?: ButtonProps["kind"];
  disabled?: boolean;
  /** What happens, and what stays as it is. */
  children: ReactNode;
  act: () => void;
}

export function Confirm({ name, kind, disabled, children, act }: Props) {
  return (
    <AlertDialog.Root>
      <AlertDialog.Trigger asChild>
        <Button kind={kind} disabled={disabled}>
          {name}
        </Button>
      </AlertDialog.Trigger>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <AlertDialog.Content className="fixed top-1/2 left-1/2 z-40 w-[min(92vw,460px)] -translate-1/2 rounded-box border bg-surface p-5 text-ink outline-none">
          <AlertDialog.Title className="mb-2 text-lg">{name}?</AlertDialog.Title>
          <AlertDialog.Description>{children}</AlertDialog.Description>
          <div className="mt-4 flex justify-end gap-2">
            <AlertDialog.Cancel asChild>
              <Button>Cancel</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button kind="main" onClick={act}>
                {name}
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}

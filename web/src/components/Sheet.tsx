/** A detail beside the list: resizable by mouse and keys, over the list where there is no room beside it. */
import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import { type KeyboardEvent, type PointerEvent, type ReactNode, useEffect, useState } from "react";
import { useKeys } from "../lib/keys";
import { useWide } from "../lib/useSmall";

const PLACE = "clabo.sheet";
const [LEAST, MOST] = [340, 720];
const fitting = (width: number) => Math.min(MOST, Math.max(LEAST, width));

interface Props {
  title: ReactNode;
  close: () => void;
  children: ReactNode;
}

/** Where there is room it stands beside the list; else it lies over it, holds the focus, and gives it back. */
export function Sheet(props: Props) {
  return useWide() ? <Beside {...props} /> : <Over {...props} />;
}

function Over({ title, close, children }: Props) {
  return (
    <Dialog.Root open onOpenChange={(open) => !open && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="sheet-enter fixed inset-x-0 bottom-0 z-20 max-h-[85vh] overflow-auto border-t-2 border-ink bg-surface p-4 outline-none"
        >
          <Header title={<Dialog.Title className="contents">{title}</Dialog.Title>} close={close} />
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Header({ title, close }: { title: ReactNode; close: () => void }) {
  return (
    <div className="mb-3 flex items-start justify-between gap-3">
      <div className="min-w-0 font-head text-title leading-snug font-semibold break-words">{title}</div>
      <button
        type="button"
        aria-label="Close the detail"
        onClick={close}
        className="rounded-box p-1 hover:bg-plum-wash"
      >
        <X size={16} />
      </button>
    </div>
  );
}

const KEYS = [["← →", "the detail’s width, on its left edge"]] as const;

function Beside({ title, close, children }: Props) {
  useKeys(KEYS);
  const [width, setWidth] = useState(() => fitting(Number(localStorage.getItem(PLACE)) || 420));
  useEffect(() => localStorage.setItem(PLACE, String(width)), [width]);
  useEffect(() => {
    const listen = (event: globalThis.KeyboardEvent) => {
      if (event.key === "Escape" && !document.querySelector("[role=dialog], [data-radix-popper-content-wrapper]"))
        close();
    };
    addEventListener("keydown", listen);
    return () => removeEventListener("keydown", listen);
  }, [close]);

  const drag = (event: PointerEvent<HTMLHRElement>) => {
    const handle = event.currentTarget;
    handle.setPointerCapture(event.pointerId);
    handle.onpointermove = (move) => setWidth(fitting(innerWidth - 24 - move.clientX));
    handle.onpointerup = () => {
      handle.onpointermove = null;
    };
  };
  const keys = (event: KeyboardEvent) => {
    const step = { ArrowLeft: 24, ArrowRight: -24 }[event.key];
    if (step) {
      event.preventDefault();
      setWidth((w) => fitting(w + step));
    }
  };
  return (
    <aside
      aria-label="Detail"
      className="sheet-enter sticky top-4 z-20 max-h-[calc(100vh-2rem)] shrink-0 overflow-auto rounded-box border border-line bg-surface p-4 pl-6"
      style={{ width }}
    >
      <hr
        aria-label="Width of the detail"
        aria-orientation="vertical"
        aria-valuenow={width}
        aria-valuemin={LEAST}
        aria-valuemax={MOST}
        tabIndex={0}
        onPointerDown={drag}
        onKeyDown={keys}
        className="absolute inset-y-0 left-0 h-auto w-2 cursor-col-resize border-0 hover:bg-plum-wash"
      />
      <Header title={<h2>{title}</h2>} close={close} />
      {children}
    </aside>
  );
}

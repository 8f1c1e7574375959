/** A detail beside the list: resizable by mouse and keys, over the list where there is no room beside it. */
import { X } from "lucide-react";
import { type KeyboardEvent, type PointerEvent, type ReactNode, useEffect, useState } from "react";

const PLACE = "clabo.sheet";
const [LEAST, MOST] = [340, 720];
const fitting = (width: number) => Math.min(MOST, Math.max(LEAST, width));

interface Props {
  title: ReactNode;
  close: () => void;
  children: ReactNode;
}

export function Sheet({ title, close, children }: Props) {
  const [width, setWidth] = useState(() => fitting(Number(localStorage.getItem(PLACE)) || 420));
  useEffect(() => localStorage.setItem(PLACE, String(width)), [width]);
  useEffect(() => {
    const listen = (event: globalThis.KeyboardEvent) => {
      if (event.key === "Escape" && !document.querySelector("dialog[open], [data-radix-popper-content-wrapper]"))
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
      className="sheet-enter fixed inset-x-0 bottom-0 z-20 max-h-[85vh] overflow-auto border-t-2 border-ink bg-surface p-4 lg:sticky lg:top-4 lg:max-h-[calc(100vh-2rem)] lg:shrink-0 lg:rounded-box lg:border lg:border-line lg:pl-6"
      style={{ width: matchMedia("(min-width: 64rem)").matches ? width : undefined }}
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
        className="absolute inset-y-0 left-0 hidden h-auto w-2 cursor-col-resize border-0 hover:bg-plum-wash lg:block"
      />
      <div className="mb-3 flex items-start justify-between gap-3">
        <h2 className="min-w-0 text-[17px] leading-snug break-words">{title}</h2>
        <button
          type="button"
          aria-label="Close the detail"
          onClick={close}
          className="rounded-box p-1 hover:bg-plum-wash"
        >
          <X size={16} />
        </button>
      </div>
      {children}
    </aside>
  );
}

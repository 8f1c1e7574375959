/** The right edge of a column's head: dragged or moved by the arrow keys it sizes the column; twice clicked it forgets. */
import type { KeyboardEvent, PointerEvent } from "react";

export const [LEAST, MOST] = [56, 640];
const fitting = (width: number) => Math.round(Math.min(MOST, Math.max(LEAST, width)));

interface Props {
  of: string;
  width: number | undefined;
  set: (width: number | undefined) => void;
}

const wide = (edge: HTMLElement) => edge.parentElement?.getBoundingClientRect().width ?? LEAST;

export function Edge({ of, width, set }: Props) {
  const drag = (event: PointerEvent<HTMLHRElement>) => {
    const edge = event.currentTarget;
    const [from, start] = [event.clientX, wide(edge)];
    edge.setPointerCapture(event.pointerId);
    edge.onpointermove = (move) => set(fitting(start + move.clientX - from));
    edge.onpointerup = () => {
      edge.onpointermove = null;
    };
  };
  const keys = (event: KeyboardEvent<HTMLHRElement>) => {
    const step = { ArrowLeft: -12, ArrowRight: 12 }[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    set(fitting((width ?? wide(event.currentTarget)) + step));
  };
  return (
    <hr
      aria-label={`Width of ${of}`}
      aria-orientation="vertical"
      aria-valuenow={width ?? LEAST}
      aria-valuemin={LEAST}
      aria-valuemax={MOST}
      tabIndex={0}
      title="Drag to size the column; twice clicked it has its own width again"
      onPointerDown={drag}
      onKeyDown={keys}
      onDoubleClick={() => set(undefined)}
      className="absolute inset-y-1 right-0 h-auto w-1.5 cursor-col-resize border-0 hover:bg-line focus-visible:bg-plum"
    />
  );
}

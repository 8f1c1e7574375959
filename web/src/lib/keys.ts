/** The keys that the open screen answers to, each with what it does: `?` lists them. */
import { useEffect, useSyncExternalStore } from "react";

export type Key = readonly [keys: string, does: string];

let shown: readonly Key[] = [];
const parts = new Set<readonly Key[]>();
const listeners = new Set<() => void>();

function told() {
  shown = [...parts].flat();
  for (const listener of listeners) listener();
}

/** Lists these while the component is there. Give it a constant. */
export function useKeys(keys: readonly Key[]) {
  useEffect(() => {
    parts.add(keys);
    told();
    return () => {
      parts.delete(keys);
      told();
    };
  }, [keys]);
}

export const useListedKeys = () =>
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => shown,
  );

/** Whether a key is meant for the screen and not for a field or the browser. */
export const isPlain = (event: KeyboardEvent) =>
  !(event.target as HTMLElement).matches("input, textarea, select") &&
  !(event.ctrlKey || event.metaKey || event.altKey);

/** Does what belongs to a letter while the component is there. */
export function useLetter(letter: string, does: () => void) {
  useEffect(() => {
    let last = "";
    const listen = (event: KeyboardEvent) => {
      // After g it names a section.
      if (isPlain(event) && event.key === letter && last !== "g") does();
      last = event.key;
    };
    addEventListener("keydown", listen);
    return () => removeEventListener("keydown", listen);
  }, [letter, does]);
}

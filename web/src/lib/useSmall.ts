import { useSyncExternalStore } from "react";

const narrow = matchMedia("(max-width: 48rem)");

function subscribe(changed: () => void) {
  narrow.addEventListener("change", changed);
  return () => narrow.removeEventListener("change", changed);
}

/** Whether the window is as narrow as a phone. */
export const useSmall = () => useSyncExternalStore(subscribe, () => narrow.matches);

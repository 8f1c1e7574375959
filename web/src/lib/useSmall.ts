import { useSyncExternalStore } from "react";

function useMedia(query: MediaQueryList) {
  return useSyncExternalStore(
    (changed) => {
      query.addEventListener("change", changed);
      return () => query.removeEventListener("change", changed);
    },
    () => query.matches,
  );
}

const small = matchMedia("(max-width: 48rem)");
const wide = matchMedia("(min-width: 64rem)");

/** Whether the window is as narrow as a phone. */
export const useSmall = () => useMedia(small);

/** Whether a detail has room beside a list. */
export const useWide = () => useMedia(wide);

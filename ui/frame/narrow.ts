"use client";

import { useSyncExternalStore } from "react";

/** Below this width the screens have no room for their columns. */
export const LEAST_WIDTH = 900;

/** Whether the window is too narrow for the screens (a phone). */
export function useIsNarrow(): boolean {
  return useSyncExternalStore(
    (changed) => {
      window.addEventListener("resize", changed);
      return () => window.removeEventListener("resize", changed);
    },
    () => window.innerWidth < LEAST_WIDTH,
    () => false,
  );
}

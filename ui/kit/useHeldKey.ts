"use client";

import { useEffect, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";

/** True while a key is held, unless something is being typed. */
export function useHeldKey(key: string): boolean {
  const [held, setHeld] = useState(false);
  useHotkeys(key, () => setHeld(true), { keydown: true, enableOnFormTags: ["slider"] });
  // Let go is let go, whatever other keys are down by then.
  useHotkeys(key, () => setHeld(false), {
    keydown: false,
    keyup: true,
    ignoreModifiers: true,
    enableOnFormTags: ["slider"],
  });
  useEffect(() => {
    const release = () => setHeld(false);
    window.addEventListener("blur", release);
    return () => window.removeEventListener("blur", release);
  }, []);
  return held;
}

"use client";

import type { DependencyList } from "react";
import { useHotkeys } from "react-hotkeys-hook";

const ARROWS = /^(Arrow|Home|End|PageUp|PageDown)/;
/** What moves by arrow keys itself, and what Space and Enter press. */
const MOVES = "[role=slider],[role=option],[role=menuitem],[role=radio],[aria-roledescription=sortable],select";
const PRESSES = "button,a[href],[role=button],[role=switch],[role=checkbox],input,summary";

/** Whether a key that was pressed on an element belongs to it: it acts once, there, and no screen hears of it. */
export function belongsTo(target: EventTarget | null, key: string): boolean {
  if (!(target instanceof Element)) return false;
  if (ARROWS.test(key)) return target.closest(MOVES) !== null;
  return (key === " " || key === "Enter") && target.closest(PRESSES) !== null;
}

/** A key of a screen. This is the one place that decides who gets it: a control that it is pressed on comes first. */
export function useKeys(keys: string, act: (event: KeyboardEvent) => void, dependencies: DependencyList = []): void {
  useHotkeys(
    keys,
    act,
    {
      ignoreEventWhen: (event) => event.defaultPrevented || belongsTo(event.target, event.key),
      // The package leaves out sliders as it does text fields; what they take themselves is decided above.
      enableOnFormTags: ["slider"],
    },
    dependencies,
  );
}

"use client";

import { gradesOf } from "@/state/selectors";
import type { GradedFrame, Verdict } from "@/core/choose";
import { measureOf } from "@/core/choose";
import type { MeasureId } from "@/core/choose";
import type { Grades } from "@/state/lights";
import type { SubRecord } from "@/storage";
import { useProject } from "../frame/session";

/** Measures, sets and verdicts of the lights, worked out once for each state of the project. */
export const useGrades = (): Grades => useProject(gradesOf);

/** A calibration frame is left out by hand only. */
export const handVerdict = ({ decision }: SubRecord): Verdict => ({
  included: decision !== "reject",
  reasons: decision === "reject" ? ["rejected by hand"] : [],
});

export type SortKey = MeasureId | "name";

export interface Sort {
  key: SortKey;
  down: boolean;
}

/** Sorted by a measure; frames without it come last either way. */
export function sortFrames(frames: readonly GradedFrame[], { key, down }: Sort): GradedFrame[] {
  const sign = down ? -1 : 1;
  const value = (frame: GradedFrame) => (key === "name" ? frame.name : measureOf(key).value(frame));
  return [...frames].sort((p, q) => {
    const a = value(p);
    const b = value(q);
    if (a === null || b === null) return (a === null ? 1 : 0) - (b === null ? 1 : 0);
    return a < b ? -sign : a > b ? sign : p.order - q.order;
  });
}

/** What a click selects: one, with Ctrl one more or less, with Shift all between the last and this. */
export function selectionAfter(
  ids: readonly string[],
  selection: readonly string[],
  currentId: string | null,
  clicked: string,
  keys: { ctrl: boolean; shift: boolean },
): readonly string[] {
  if (keys.shift && currentId !== null) {
    const from = ids.indexOf(currentId);
    const to = ids.indexOf(clicked);
    return from < 0 || to < 0 ? [clicked] : ids.slice(Math.min(from, to), Math.max(from, to) + 1);
  }
  if (!keys.ctrl) return [];
  const base = selection.length > 0 ? selection : currentId === null ? [] : [currentId];
  return base.includes(clicked) ? base.filter((id) => id !== clicked) : [...base, clicked];
}

"use client";

import { useMemo, useRef } from "react";
import { domainAfter } from "@/core/chain";
import type { Spot } from "@/core/compare";
import type { StretchCurve } from "@/core/operations";
import { stretchCurves } from "@/core/operations";
import { isEmptyRegion } from "@/core/raster";
import type { Warp } from "@/core/register";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import { projectToStack } from "@/state/stackFrames";
import type { Board, Lane, StackRecord, View } from "@/storage";
import { useSession } from "../frame/session";
import { useCrop } from "../viewer/useCrop";
import { useSize } from "../viewer/useSize";
import { cellView } from "./geometry";
import { useLaneTreatment } from "./useTreatment";

/** A lane as crops of it are made and shown. */
export interface LaneView {
  lane: Lane;
  stack: StackRecord;
  treatment: Treatment | null;
  /** From the project's coordinates to the pixels of its stack. */
  toPicture: Warp;
  curves: StretchCurve[];
  /** Of a ladder's rungs those come first that lie nearest to the present value: 0, 1, 2 … */
  rank: number;
}

/** What is shown in a lane's place while a key is held: the untouched stack, or the lane without its last step. */
export type Before = "stack" | "step" | null;

/** The treatment without the last step that is on. */
function withoutLast(treatment: Treatment): Treatment {
  const at = treatment.steps.findLastIndex(({ on }) => on);
  return {
    ...treatment,
    steps: treatment.steps.slice(0, Math.max(0, at)),
    facts: treatment.facts.slice(0, Math.max(0, at)),
  };
}

/** What a lane does, where its stack lies, and how it is shown; a view only where its stack is there and tied to the project's first. */
export function useLaneView(
  lane: Lane,
  board: Board,
  first: StackRecord,
  rank = 0,
): { view: LaneView | null; settling: boolean; error: string | null } {
  const { stack, treatment, settling, error } = useLaneTreatment(lane);
  const toPicture = useMemo(() => (stack ? projectToStack(first, stack) : null), [first, stack]);
  const curves = useMemo(
    () => stretchCurves(board.display, (stack ?? first).facts.stretch),
    [board.display, stack, first],
  );
  const view = useMemo(
    () => (stack && toPicture ? { lane, stack, treatment, toPicture, curves, rank } : null),
    [lane, stack, treatment, toPicture, curves, rank],
  );
  if (error || (stack && toPicture)) return { view: error ? null : view, settling, error };
  const untied = `“${stack?.name}” could not be tied to “${first.name}”: they share no sub, and their stars make no common pattern. No place in it is guessed; choose another stack for this lane at the right.`;
  return {
    ...{ view: null, settling },
    error: stack ? untied : "The stack of this lane is missing; choose another for it at the right.",
  };
}

/** Later rungs wait alike. */
const LAST_RANK = 40;

/** The crop of a lane at a spot that fills a box, and what was before in its place while that is asked for. */
export function useLaneCrop(
  { stack, treatment, toPicture, curves, rank }: LaneView,
  spot: Spot,
  view: View,
  project: { width: number; height: number },
  before: Before,
) {
  const session = useSession();
  const box = useRef<HTMLDivElement>(null);
  const size = useSize(box);
  const seen = cellView(size, stack.facts, spot, view, toPicture, project);
  const { region, reduce, onto } = seen;
  const ready = size.width > 0 && !isEmptyRegion(region);
  const earlier: Treatment | null =
    treatment && (before === "step" ? withoutLast(treatment) : { ...treatment, steps: [], facts: [] });
  const affinity = spot.id;
  const treated = useCrop(session.crops, ready ? treatment : null, region, reduce, {
    priority: PRIORITY.interaction + Math.min(rank, LAST_RANK) / (LAST_RANK + 1),
    affinity,
    onto,
  });
  const plain = useCrop(session.crops, ready && !treated.pending ? earlier : null, region, reduce, {
    priority: before ? PRIORITY.interaction : PRIORITY.measure,
    affinity,
    onto,
  });
  const of = before === null ? treatment : earlier;
  const isStretched = of !== null && domainAfter(of.steps) === "stretched";
  return {
    ...{ box, seen, ready, treated },
    shown: before ? (plain.shown ?? treated.shown) : treated.shown,
    /** Null for a stretched lane, which is shown as it is. */
    curves: isStretched ? null : curves,
  };
}

"use client";

import { useMemo } from "react";
import { isStretched } from "@/core/chain";
import type { Spot } from "@/core/compare";
import type { ChannelCurve } from "@/core/display";
import { curvesOf } from "@/core/display";
import { isEmptyRegion } from "@/core/raster";
import type { Warp } from "@/core/register";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import { affinityOf } from "@/state/ladder";
import { shownByOf } from "@/state/display";
import { projectToStack } from "@/state/stackFrames";
import type { Board, Lane, StackRecord, View } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { useCrop } from "../viewer/useCrop";
import { useSize } from "../viewer/useSize";
import { useDesk } from "./desk";
import { cellView } from "./geometry";
import { useLaneTreatment } from "./useTreatment";

/** A lane as crops of it are made and shown. */
export interface LaneView {
  lane: Lane;
  stack: StackRecord;
  treatment: Treatment | null;
  /** From the project's coordinates to the pixels of its stack. */
  toPicture: Warp;
  curves: ChannelCurve[];
  /** Of a ladder's rungs those come first that lie nearest to the present value: 0, 1, 2 … */
  rank: number;
}

/** What is shown in a lane's place while a key is held: the untouched stack, or the lane before its chosen step (without its last one, where none is chosen). */
export type Before = "stack" | "step" | null;

/** The treatment as it is before the chosen step, where that is the lane's; else without the last step that is on. */
function earlierThan(treatment: Treatment, { steps }: Lane, stepId: string | null): Treatment {
  const chosen = steps.findIndex(({ id }) => id === stepId);
  const at = Math.max(0, chosen >= 0 ? chosen : treatment.steps.findLastIndex(({ on }) => on));
  return { ...treatment, steps: treatment.steps.slice(0, at), facts: treatment.facts.slice(0, at) };
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
  const stacks = useProject((state) => state.stacks);
  // Levers that did not change make no new curves.
  const { display, levels } = shownByOf(board, lane, stack ?? first, stacks);
  const curves = useMemo(() => curvesOf({ display, levels }), [display, levels]);
  const view = useMemo(
    () => (stack && toPicture ? { lane, stack, treatment, toPicture, curves, rank } : null),
    [lane, stack, treatment, toPicture, curves, rank],
  );
  if (error || (stack && toPicture)) return { view: error ? null : view, settling, error };
  const untied = `“${stack?.name}” could not be tied to “${first.name}”: they share no sub, and their stars make no common pattern. No place in it is guessed; choose another stack for this lane at the right.`;
  return {
    view: null,
    settling,
    error: stack ? untied : "The stack of this lane is missing; choose another for it at the right.",
  };
}

/** Later rungs wait alike. */
const LAST_RANK = 40;

/** A larger region is no crop: crops come before it, and of one that is much larger than that the workers keep one for them, px. */
const [CROP_PX, LARGE_PX] = [2.5e5, 4e6];

/** How soon a region of that area is made; rungs of a ladder one after the other. */
function urgency(px: number, rank: number): number {
  if (px > LARGE_PX) return PRIORITY.batch;
  return (px > CROP_PX ? PRIORITY.view : PRIORITY.interaction) + Math.min(rank, LAST_RANK) / (LAST_RANK + 1);
}

/** The crop of a lane at a spot that fills a box, and what was before in its place while that is asked for. */
export function useLaneCrop(
  { lane, stack, treatment, toPicture, curves, rank }: LaneView,
  spot: Spot,
  view: View,
  project: { width: number; height: number },
  before: Before,
  isNoise = false,
) {
  const session = useSession();
  const stepId = useDesk((desk) => desk.stepId);
  const { box, size } = useSize();
  const seen = cellView(size, stack.facts, spot, view, toPicture, project);
  const { region, reduce, onto } = seen;
  const ready = size.width > 0 && !isEmptyRegion(region);
  const earlier: Treatment | null =
    treatment && (before === "step" ? earlierThan(treatment, lane, stepId) : { ...treatment, steps: [], facts: [] });
  const affinity = affinityOf(lane.id, spot.id);
  const treated = useCrop(session.crops, ready ? treatment : null, region, reduce, {
    priority: urgency(region.width * region.height, rank),
    affinity,
    tellsShare: region.width * region.height > LARGE_PX,
    onto,
    isNoise,
  });
  const plain = useCrop(session.crops, ready && !treated.pending ? earlier : null, region, reduce, {
    priority: before ? PRIORITY.interaction : PRIORITY.measure,
    affinity,
    onto,
    isNoise,
  });
  const of = before === null ? treatment : earlier;
  const stretched = of !== null && isStretched(of.steps);
  return {
    box,
    seen,
    ready,
    treated,
    shown: before ? (plain.shown ?? treated.shown) : treated.shown,
    /** Null for a stretched lane, which is shown as it is. */
    curves: stretched ? null : curves,
    noiseSpan: stretched ? STRETCHED_SPAN : NOISE_SPAN * (lightSigma(stack.facts) ?? 0),
  };
}

/** What a crop shows, and where; without the element that it fills. */
export type LaneCrop = Omit<ReturnType<typeof useLaneCrop>, "box">;

/** Noise in full colour: so many σ of the stack's light, or that share of white in a stretched lane. */
export const [NOISE_SPAN, STRETCHED_SPAN] = [4, 0.1];

/** σ of the noise of a stack's light, the mean of its channels; null without halves. */
export const lightSigma = ({ halvesSigma }: Pick<StackRecord["facts"], "halvesSigma">): number | null =>
  halvesSigma ? Math.hypot(...halvesSigma) / halvesSigma.length : null;

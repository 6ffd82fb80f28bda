"use client";

import { useMemo } from "react";
import type { SkyPatch } from "@/core/measure";
import { fieldOfKind } from "@/core/operations";
import type { ChosenPatches } from "@/core/parameters";
import { placedPatches } from "@/core/parameters";
import { IDENTITY, inverse } from "@/core/register";
import { projectToStack } from "@/state/stackFrames";
import type { Lane, LaneStep } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";
import { useLaneTreatment } from "./useTreatment";

/** The patches that a person chose for a step; null for those that are found. */
export function patchesOf({ operation, params }: Pick<LaneStep, "operation" | "params">): ChosenPatches | null {
  const field = fieldOfKind(operation, "patches");
  return field === undefined ? null : ((params[field] as ChosenPatches | undefined) ?? null);
}

/** The patches of a step in the project's coordinates, and on the pixels of its stack: its own, or those that are found. */
export function useSkyPatches(lane: Lane, step: LaneStep | null): { patches: SkyPatch[]; onStack: SkyPatch[] } {
  const session = useSession();
  const { stack, treatment } = useLaneTreatment(lane);
  const first = useProject((state) => state.stacks[0] ?? null);
  const { value, isCurrent } = useAnswer(treatment?.picture.id ?? null, 0, async () =>
    treatment ? session.facts.skyPatches(treatment) : [],
  );
  const found = isCurrent ? value : null;
  return useMemo(() => {
    const warp = (first && stack && projectToStack(first, stack)) ?? IDENTITY;
    const own = step && patchesOf(step);
    if (own) return { patches: own.patches, onStack: placedPatches(own.patches, warp) };
    const onStack = found ?? [];
    return { patches: placedPatches(onStack, inverse(warp)), onStack };
  }, [first, stack, step, found]);
}

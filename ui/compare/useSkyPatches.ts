"use client";

import { useEffect, useMemo, useRef, useState } from "react";
import type { SkyPatch } from "@/core/measure";
import { fieldOfKind } from "@/core/operations";
import type { ChosenPatches } from "@/core/parameters";
import { placedPatches } from "@/core/parameters";
import { IDENTITY, inverse } from "@/core/register";
import { projectToStack } from "@/state/stackFrames";
import type { Lane, LaneStep } from "@/storage";
import { useProject, useSession } from "../frame/session";
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
  const [found, setFound] = useState<{ of: string; patches: SkyPatch[] } | null>(null);
  const pictureId = treatment?.picture.id ?? null;
  const subject = useRef(treatment);
  subject.current = treatment;
  useEffect(() => {
    if (!subject.current || pictureId === null) return;
    session.facts
      .skyPatches(subject.current)
      .then((patches) => setFound({ of: pictureId, patches }))
      .catch(() => undefined); // stopped, or told under the crops
  }, [session, pictureId]);
  return useMemo(() => {
    const warp = (first && stack && projectToStack(first, stack)) ?? IDENTITY;
    const own = step && patchesOf(step);
    if (own) return { patches: own.patches, onStack: placedPatches(own.patches, warp) };
    const onStack = found?.of === pictureId ? found.patches : [];
    return { patches: placedPatches(onStack, inverse(warp)), onStack };
  }, [first, stack, step, found, pictureId]);
}

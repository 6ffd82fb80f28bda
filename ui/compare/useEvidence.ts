"use client";

import { useState } from "react";
import type { Evidence, Spot, Support } from "@/core/compare";
import { EVIDENCE_SIDE } from "@/core/compare";
import { Stopped } from "@/core/job";
import { isEmptyRegion } from "@/core/raster";
import type { Warp } from "@/core/register";
import type { Treatment } from "@/engine/tasks/crop";
import { evidenceKey } from "@/state/evidence";
import type { StackRecord, View } from "@/storage";
import { useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";
import { FIRST_SIDE, measuredRegion } from "./geometry";

/** How long settings and view must rest before evidence is asked for: by crops a little later than by the panel, whose spot comes first. */
export const [REST_MS, CROP_REST_MS] = [400, 420];

export interface EvidenceState {
  /** What was told first, or with all of it: of the present settings and place if `isCurrent`. */
  support: Support | null;
  isCurrent: boolean;
  /** All of it: that of before until that of the present is there. */
  evidence: Evidence | null;
  isComplete: boolean;
  error: string | null;
}

/** Evidence for the square around a spot, once it has rested; that of before until then. Its middle comes first. */
export function useEvidence(
  treatment: Treatment | null,
  stack: StackRecord,
  spot: Spot,
  view: View,
  toPicture: Warp,
  restMs = REST_MS,
): EvidenceState {
  const session = useSession();
  const [region, near] = [EVIDENCE_SIDE, FIRST_SIDE].map((side) =>
    measuredRegion(stack.facts, spot, view, toPicture, side),
  );
  const question = treatment && !isEmptyRegion(region) ? evidenceKey(treatment, region) : null;
  const [first, setFirst] = useState<{ of: string; support: Support } | null>(null);
  const {
    value: evidence,
    isCurrent: isComplete,
    error,
  } = useAnswer(question, restMs, async (of, signal) => {
    if (!treatment) throw new Stopped();
    return session.evidence.ask(treatment, region, stack.facts, {
      // The middle may lie beyond the border where the place does not.
      near: isEmptyRegion(near) ? undefined : near,
      signal,
      onFirst: (support) => signal.aborted || setFirst({ of, support }),
    });
  });
  const isFirst = !isComplete && first !== null && first.of === question;
  return {
    support: isFirst ? first.support : (evidence ?? first?.support ?? null),
    isCurrent: isComplete || isFirst,
    evidence,
    isComplete,
    error,
  };
}

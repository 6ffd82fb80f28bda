"use client";

import { useEffect, useRef, useState } from "react";
import type { Evidence, Spot, Support } from "@/core/compare";
import { Stopped } from "@/core/job";
import { isEmptyRegion } from "@/core/raster";
import type { Warp } from "@/core/register";
import { failureOf } from "@/engine/protocol";
import type { Treatment } from "@/engine/tasks/crop";
import { evidenceKey } from "@/state/evidence";
import type { StackRecord, View } from "@/storage";
import { useSession } from "../frame/session";
import { EVIDENCE_SIDE, FIRST_SIDE, measuredRegion } from "./geometry";

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
  const key = treatment && !isEmptyRegion(region) ? evidenceKey(treatment, region) : null;
  const [first, setFirst] = useState<{ key: string; support: Support } | null>(null);
  const [known, setKnown] = useState<{ key: string; evidence: Evidence | null; error: string | null } | null>(null);
  const asked = useRef({ treatment, region, near, stack });
  asked.current = { treatment, region, near, stack };
  useEffect(() => {
    const { treatment: wanted, region: place, near: middle, stack: of } = asked.current;
    if (key === null || !wanted) return;
    const abort = new AbortController();
    const { signal } = abort;
    const timer = setTimeout(() => {
      session.evidence
        .ask(wanted, place, of.facts, {
          // The middle may lie beyond the border where the place does not.
          near: isEmptyRegion(middle) ? undefined : middle,
          signal,
          onFirst: (support) => signal.aborted || setFirst({ key, support }),
        })
        .then((evidence) => !signal.aborted && setKnown({ key, evidence, error: null }))
        .catch((error: unknown) => {
          if (!signal.aborted && !(error instanceof Stopped))
            setKnown({ key, evidence: null, error: failureOf(error).message });
        });
    }, restMs);
    return () => {
      abort.abort();
      clearTimeout(timer);
    };
  }, [session, key, restMs]);
  const isComplete = known !== null && known.key === key;
  const isFirst = !isComplete && first !== null && first.key === key;
  return {
    support: isFirst ? first.support : (known?.evidence ?? first?.support ?? null),
    isCurrent: isComplete || isFirst,
    evidence: known?.evidence ?? null,
    isComplete,
    // What was wrong elsewhere, or with other settings, is wrong no more.
    error: isComplete ? known.error : null,
  };
}

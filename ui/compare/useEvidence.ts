"use client";

import { useEffect, useRef, useState } from "react";
import type { Evidence, Spot } from "@/core/compare";
import { Stopped } from "@/core/job";
import type { Region } from "@/core/raster";
import { isEmptyRegion } from "@/core/raster";
import type { Warp } from "@/core/register";
import { failureOf } from "@/engine/protocol";
import type { Treatment } from "@/engine/tasks/crop";
import { evidenceKey } from "@/state/evidence";
import type { StackRecord, View } from "@/storage";
import { useSession } from "../frame/session";
import { EVIDENCE_SIDE, measuredRegion } from "./geometry";

/** How long settings and view must rest before evidence is asked for. */
const REST_MS = 400;

export interface EvidenceState {
  evidence: Evidence | null;
  region: Region;
  /** Whether what is there is of the present settings and place. */
  isCurrent: boolean;
  error: string | null;
}

/** Evidence for the square around a spot, once it has rested; that of before until then. */
export function useEvidence(
  treatment: Treatment | null,
  stack: StackRecord,
  spot: Spot,
  view: View,
  toPicture: Warp,
): EvidenceState {
  const session = useSession();
  const region = measuredRegion(stack.facts, spot, view, toPicture, EVIDENCE_SIDE);
  const key = treatment && !isEmptyRegion(region) ? evidenceKey(treatment, region) : null;
  const [known, setKnown] = useState<{ key: string; evidence: Evidence | null; error: string | null } | null>(null);
  const asked = useRef({ treatment, region, stack });
  asked.current = { treatment, region, stack };
  useEffect(() => {
    const { treatment: wanted, region: place, stack: of } = asked.current;
    if (key === null || !wanted) return;
    const abort = new AbortController();
    const timer = setTimeout(() => {
      session.evidence
        .ask(wanted, place, of.facts, abort.signal)
        .then((evidence) => !abort.signal.aborted && setKnown({ key, evidence, error: null }))
        .catch((error: unknown) => {
          if (!abort.signal.aborted && !(error instanceof Stopped))
            setKnown({ key, evidence: null, error: failureOf(error).message });
        });
    }, REST_MS);
    return () => {
      abort.abort();
      clearTimeout(timer);
    };
  }, [session, key]);
  return {
    region,
    evidence: known?.evidence ?? null,
    error: known?.error ?? null,
    isCurrent: known !== null && known.key === key,
  };
}

"use client";

import { useEffect, useRef, useState } from "react";
import type { Treatment } from "@/engine/tasks/crop";
import type { WorkerPool } from "@/engine/pool";
import type { Lane } from "@/storage";
import { useSession } from "../frame/session";
import { useLaneTreatment } from "./useTreatment";

/** How long a step must rest before its curve is made. */
const REST_MS = 1500;

/** A curve of a step that the halves tell, once its settings have rested; null until then, where there are no halves, and where it is not asked for. `free`: settings of the step that it does not depend on. */
export function useStepCurve<C>(
  lane: Lane,
  index: number,
  isAsked: boolean,
  free: readonly string[],
  run: (pool: WorkerPool, treatment: Treatment, signal: AbortSignal) => Promise<C | null>,
): C | null {
  const session = useSession();
  const { treatment, settling } = useLaneTreatment(lane);
  const [known, setKnown] = useState<{ key: string; curve: C | null } | null>(null);
  const isTold = isAsked && treatment?.halves && !settling && lane.steps[index]?.on;
  const key = isTold ? keyOf(treatment, index, free) : null;
  const latest = useRef({ treatment, run });
  latest.current = { treatment, run };
  useEffect(() => {
    const { treatment: asked, run: measure } = latest.current;
    if (key === null || !asked) return;
    const abort = new AbortController();
    const timer = setTimeout(() => {
      measure(session.pool, asked, abort.signal)
        .then((curve) => setKnown({ key, curve }))
        .catch(() => undefined); // stopped, or told under the crops
    }, REST_MS);
    return () => {
      clearTimeout(timer);
      abort.abort();
    };
  }, [session, key]);
  return known?.key === key ? known.curve : null;
}

/** What a curve depends on: all settings up to its step, but for those of the step that are free. */
function keyOf({ picture, steps, facts }: Treatment, index: number, free: readonly string[]): string {
  const settings = steps
    .slice(0, index + 1)
    .map(({ operation, params, channels, blend, mask, on }, k) => [
      operation,
      k === index ? Object.entries(params).filter(([name]) => !free.includes(name)) : params,
      ...[channels, blend, mask, on],
    ]);
  return JSON.stringify([picture.id, settings, facts.slice(0, index + 1)]);
}

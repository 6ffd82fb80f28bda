"use client";

import type { Treatment } from "@/engine/tasks/crop";
import type { WorkerPool } from "@/engine/pool";
import type { Lane } from "@/storage";
import { useSession } from "../frame/session";
import { useAnswer } from "../kit/useAnswer";
import { useLaneTreatment } from "./useTreatment";

/** How long a step must rest before its curve is made. */
const REST_MS = 1500;

/**
 * A curve of a step that the halves show, once its settings have rested; null until then, where
 * there are no halves, and where it is not asked for. `free`: settings of the step that it does not
 * depend on.
 */
export function useStepCurve<C>(
  lane: Lane,
  index: number,
  isAsked: boolean,
  free: readonly string[],
  run: (pool: WorkerPool, treatment: Treatment, signal: AbortSignal) => Promise<C | null>,
): C | null {
  const session = useSession();
  const { treatment, settling } = useLaneTreatment(lane);
  const isAnswerable = isAsked && treatment?.halves && !settling && lane.steps[index]?.on;
  const question = isAnswerable ? dependsOn(treatment, index, free) : null;
  const { value, isCurrent } = useAnswer(question, REST_MS, async (_, signal) =>
    treatment ? run(session.pool, treatment, signal) : null,
  );
  return isCurrent ? value : null;
}

/** What a curve depends on: all settings up to its step, but for those of the step that are free. */
function dependsOn({ picture, steps, facts }: Treatment, index: number, free: readonly string[]): unknown {
  const settings = steps
    .slice(0, index + 1)
    .map(({ operation, params, channels, blend, mask, on }, k) => [
      operation,
      k === index ? Object.entries(params).filter(([name]) => !free.includes(name)) : params,
      ...[channels, blend, mask, on],
    ]);
  return [picture.id, settings, facts.slice(0, index + 1)];
}

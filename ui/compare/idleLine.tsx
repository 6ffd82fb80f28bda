"use client";

import { idleReason } from "@/core/chain";
import type { Lane } from "@/storage";
import { useSession } from "../frame/session";
import { useLaneTreatment } from "./useTreatment";

/** Why a step has nothing to do on the lane's picture, where that is so. */
export function IdleLine({ lane, index }: { lane: Lane; index: number }) {
  const { pool } = useSession();
  const { steps, treatment } = useLaneTreatment(lane);
  const facts = treatment?.facts[index];
  const reason = facts && index < steps.length ? idleReason(steps[index], pool.valuesOf(facts)) : null;
  return reason ? (
    <p className="text-sm text-warn" data-testid="idle">
      {reason}
    </p>
  ) : null;
}

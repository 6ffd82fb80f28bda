import type { Equalled, EqualMeasure, EqualReading } from "@/core/compare";
import { equalReading, strengthFor } from "@/core/compare";
import type { Region } from "@/core/raster";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";
import type { Treatment } from "../tasks/crop";

/** A lane that is measured for equality. */
export interface EqualSubject {
  treatment: Treatment;
  /** The step whose strength is changed; −1 for none. */
  index: number;
  /** Where it is measured, px of the stack; `affinity`: what else was made for that place is in the same worker. */
  places: readonly { region: Region; affinity?: string }[];
  measure: EqualMeasure;
}

/** The measure of a lane as it is (null), or at another strength of its step; workers share the places. */
export async function readEqual(
  pool: WorkerPool,
  { treatment, index, places, measure }: EqualSubject,
  strength: number | null,
  signal?: AbortSignal,
): Promise<EqualReading> {
  const parts = await Promise.all(
    places.map(({ region, affinity }) =>
      pool.run(
        "equalPart",
        { treatment, index, region, strength, measure },
        { priority: PRIORITY.view, affinity, waitsForIt: true, signal },
      ),
    ),
  );
  return equalReading(parts, measure);
}

/** The strength of a lane's step at which its measure is the target. */
export const equalStrength = (
  pool: WorkerPool,
  subject: EqualSubject,
  target: number,
  signal?: AbortSignal,
): Promise<Equalled> => strengthFor((strength) => readEqual(pool, subject, strength, signal), target);

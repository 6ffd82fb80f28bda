import type { EqualMeasure, EqualPart } from "@/core/compare";
import { atStrength, equalPart as partOf } from "@/core/compare";
import type { Region } from "@/core/raster";
import type { Treatment } from "./crop";
import { openPlace } from "./place";
import type { Task } from "./task";

export interface EqualPayload {
  treatment: Treatment;
  /** The step whose strength is changed. */
  index: number;
  region: Region;
  /** What it is changed to; null to leave it. */
  strength: number | null;
  measure: EqualMeasure;
}

/** What a region shows of a measure with a step at some strength. */
export const equalPart: Task<EqualPayload, EqualPart> = {
  owned: async ({ treatment, index, region, strength, measure }, context) => {
    const at = { ...treatment, steps: atStrength(treatment.steps, index, strength) };
    const { area, ...lane } = await openPlace({ treatment: at, region }, context);
    return partOf(lane, area, measure, context.job);
  },
};

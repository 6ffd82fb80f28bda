import type { EqualMeasure, EqualPart } from "@/core/compare";
import { equalPart as partOf } from "@/core/compare";
import type { Region } from "@/core/raster";
import { intersectRegions, wholeRegion } from "@/core/raster";
import type { Treatment } from "./crop";
import { memoOf } from "./crop";
import { inputOf } from "./input";
import { noiseMemosOf } from "./measureCrop";
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

/** What a region tells of a measure with a step at some strength. */
export const equalPart: Task<EqualPayload, EqualPart> = {
  owned: async ({ treatment, index, region, strength, measure }, context) => {
    const input = await inputOf(treatment, context);
    const lane = {
      input,
      index,
      steps: treatment.steps,
      facts: treatment.facts.map((ids) => context.facts.valuesOf(ids)),
      keyOf: (i: number) => treatment.facts[i],
      memos: { picture: memoOf(treatment.picture, context), ...noiseMemosOf(treatment, context) },
    };
    return partOf(lane, intersectRegions(region, wholeRegion(input.picture)), strength, measure, context.job);
  },
};

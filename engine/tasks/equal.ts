import type { Equalled, EqualMeasure } from "@/core/compare";
import { measureAt, strengthFor } from "@/core/compare";
import type { Region } from "@/core/raster";
import { intersectRegions, isEmptyRegion, wholeRegion } from "@/core/raster";
import type { Treatment } from "./crop";
import { memoOf } from "./crop";
import { inputOf } from "./input";
import type { Task, Workshop } from "./task";

export interface EqualPayload {
  treatment: Treatment;
  /** The step whose strength is changed. */
  index: number;
  /** Where it is measured, px of the stack. */
  regions: Region[];
  measure: EqualMeasure;
  /** What is to be reached; null to measure only. */
  target: number | null;
}

/** The strength of a step at which a measure is the target; without a target what the measure is now. */
export const equal: Task<EqualPayload, Equalled> = async ({ treatment, index, regions, measure, target }, shop) => {
  const lane = await laneOf(treatment, index, regions, shop);
  if (target !== null) return strengthFor(lane, target, measure, shop.job);
  const reached = await measureAt(lane, null, measure, shop.job);
  return { strength: NaN, reached, isReached: true, scales: [] };
};

async function laneOf(treatment: Treatment, index: number, regions: Region[], shop: Workshop) {
  const input = await inputOf(treatment, shop);
  const { picture, halves, steps } = treatment;
  const whole = wholeRegion(input.picture);
  return {
    ...{ input, steps, index },
    facts: treatment.facts.map((ids) => shop.facts.valuesOf(ids)),
    regions: regions.map((region) => intersectRegions(region, whole)).filter((region) => !isEmptyRegion(region)),
    keyOf: (i: number) => treatment.facts[i],
    memos: {
      picture: memoOf(picture, shop),
      a: memoOf(halves?.a ?? picture, shop),
      b: memoOf(halves?.b ?? picture, shop),
    },
  };
}

import type { Evidence } from "@/core/compare";
import { evidenceOf } from "@/core/compare";
import type { PointShape } from "@/core/measure";
import type { Region } from "@/core/raster";
import { intersectRegions, wholeRegion } from "@/core/raster";
import type { Treatment } from "./crop";
import { stepsOf } from "./crop";
import { inputOf } from "./input";
import type { Task } from "./task";

export interface EvidencePayload {
  treatment: Treatment;
  region: Region;
  /** What the stack's stars look like; null where it has none. */
  shape: PointShape | null;
}

/** What the halves say of a treated region; null without halves. */
export const evidence: Task<EvidencePayload, Evidence | null> = async ({ treatment, region, shape }, shop) => {
  const input = await inputOf(treatment, shop);
  const area = intersectRegions(region, wholeRegion(input.picture));
  return evidenceOf(input, stepsOf(treatment, shop), area, shape, shop.job);
};

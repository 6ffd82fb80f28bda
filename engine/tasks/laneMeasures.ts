import type { LaneMeasures } from "@/core/compare";
import { measureLane } from "@/core/compare";
import { intersectRegions, wholeRegion } from "@/core/raster";
import { stepsOf } from "./crop";
import type { EvidencePayload } from "./evidence";
import { inputOf } from "./input";
import type { Task } from "./task";

/** All measures of a treated region. */
export const laneMeasures: Task<EvidencePayload & { skyLevel: number | null }, LaneMeasures> = {
  owned: async ({ treatment, region, shape, skyLevel }, context) => {
    const input = await inputOf(treatment, context);
    const area = intersectRegions(region, wholeRegion(input.picture));
    return measureLane(input, stepsOf(treatment, context), area, { shape, skyLevel }, context.job);
  },
};

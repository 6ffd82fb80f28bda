import type { LaneMeasures } from "@/core/compare";
import { measureLane } from "@/core/compare";
import type { EvidencePayload } from "./evidence";
import { openPlace } from "./place";
import type { Task } from "./task";

/** All measures of a treated region. */
export const laneMeasures: Task<EvidencePayload & { skyLevel: number | null }, LaneMeasures> = {
  owned: async ({ treatment, region, shape, skyLevel }, context) => {
    const { input, steps, area } = await openPlace({ treatment, region }, context);
    return measureLane(input, steps, area, { shape, skyLevel }, context.job);
  },
};

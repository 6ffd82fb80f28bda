import type { ChainMemo } from "@/core/chain";
import type { Evidence, EvidenceSource } from "@/core/compare";
import { evidenceOf, treatedSource } from "@/core/compare";
import type { PointShape } from "@/core/measure";
import type { Raster, Region } from "@/core/raster";
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
  /** What the chain makes of the sources, where other workers made it. */
  treated?: Partial<Record<EvidenceSource, Raster>>;
}

/** What the halves say of a treated region; null without halves. */
export const evidence: Task<EvidencePayload, Evidence | null> = async ({ treatment, region, shape, treated }, shop) => {
  const input = await inputOf(treatment, shop);
  const area = intersectRegions(region, wholeRegion(input.picture));
  const steps = stepsOf(treatment, shop);
  const of = async (which: EvidenceSource, memo?: ChainMemo) =>
    treated?.[which] ?? (await treatedSource(input, steps, area, which, shop.job, memo));
  return evidenceOf(input, steps, area, shape, shop.job, of);
};

/** What the chain makes of one of the sources of evidence, so that several workers share them. */
export const evidenceSource: Task<{ treatment: Treatment; region: Region; source: EvidenceSource }, Raster> = async (
  { treatment, region, source },
  shop,
) => {
  const input = await inputOf(treatment, shop);
  const area = intersectRegions(region, wholeRegion(input.picture));
  return treatedSource(input, stepsOf(treatment, shop), area, source, shop.job);
};

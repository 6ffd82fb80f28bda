import type { Evidence, MadeOf, NoisySource, Support, WholeViews } from "@/core/compare";
import { evidenceOf, supportOf, treatedBootstrap, treatedSource, wholeViews } from "@/core/compare";
import type { PointShape } from "@/core/measure";
import type { Raster } from "@/core/raster";
import type { Place } from "./place";
import { openPlace } from "./place";
import type { Task } from "./task";

export interface EvidencePayload extends Place {
  /** What the stack's stars look like; null where it has none. */
  shape: PointShape | null;
  /** What other workers made of it. */
  made?: MadeOf;
}

/** What the halves say of a treated region; null without halves. */
export const evidence: Task<EvidencePayload, Evidence | null> = {
  owned: async ({ shape, made, ...of }, context) => {
    const { input, steps, area } = await openPlace(of, context);
    return evidenceOf(input, steps, area, shape, context.job, made);
  },
};

/** What they say first, of two runs of the chain: of its light and its stars. */
export const support: Task<EvidencePayload, Support | null> = {
  owned: async ({ shape, made, ...of }, context) => {
    const { input, steps, area } = await openPlace(of, context);
    return supportOf(input, steps, area, shape, context.job, made);
  },
};

/**
 * What evidence shows of stack and lane alone, so that several workers share it. What the first
 * steps make stays in the worker, for when a later one changes.
 */
export const evidenceWhole: Task<Place, WholeViews> = {
  cached: async (of, context) => {
    const { input, steps, area, memos } = await openPlace(of, context);
    return wholeViews(input, steps, area, context.job, memos.picture);
  },
};

/** What the chain makes of one of the other pictures that evidence is measured from; of its first steps as well. */
export const evidenceSource: Task<Place & { source: NoisySource }, Raster> = {
  cached: async ({ source, ...of }, context) => {
    const { input, steps, area, memos } = await openPlace(of, context);
    return treatedSource(input, steps, area, source, context.job, memos[source]);
  },
};

/** What the chain makes of its own answer, which differs from the stack by that light. */
export const evidenceAnswer: Task<Place & { light: Float32Array }, Raster> = {
  owned: async ({ light, ...of }, context) => {
    const { input, steps, area } = await openPlace(of, context);
    return treatedBootstrap(input, steps, area, light, context.job);
  },
};

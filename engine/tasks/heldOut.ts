import type { HeldOut } from "@/core/compare";
import { heldOutOf } from "@/core/compare";
import { regionAfter, sizeAfter } from "@/core/chain";
import type { Region } from "@/core/raster";
import type { Treatment } from "./crop";
import { stepsOf } from "./crop";
import { inputOf } from "./input";
import type { Task } from "./task";

export interface HeldOutPayload {
  treatment: Treatment;
  /** The steps that are tested: from this one to that, inclusive. */
  from: number;
  to: number;
  region: Region;
}

/** Errors of a region against what was held out of it; null where they cannot be measured. */
export const heldOut: Task<HeldOutPayload, HeldOut | null> = {
  owned: async ({ treatment, from, to, region }, context) => {
    const input = await inputOf(treatment, context);
    const { steps, facts } = treatment;
    const upTo = stepsOf({ steps: steps.slice(0, to + 1), facts: facts.slice(0, to + 1) }, context);
    const before = stepsOf({ steps: steps.slice(0, from), facts: facts.slice(0, from) }, context);
    const place = regionAfter(sizeAfter(before, input.picture), region);
    return heldOutOf(input, before, upTo.slice(before.length), place, context.job);
  },
};

import type { SkyReadout } from "@/core/chain";
import { skyReadout as measure } from "@/core/chain";
import type { SkyPatch } from "@/core/measure";
import type { Treatment } from "./crop";
import { inputOf } from "./input";
import type { Task } from "./task";

/** What varies in patches of sky before and after a step of a treatment; null where none lies on the picture. */
export const skyReadout: Task<{ treatment: Treatment; index: number; patches: SkyPatch[] }, SkyReadout | null> = {
  owned: async ({ treatment, index, patches }, context) => {
    const known = treatment.facts.map((ids) => context.facts.valuesOf(ids));
    return measure(await inputOf(treatment, context), treatment.steps, known, index, patches, context.job);
  },
};

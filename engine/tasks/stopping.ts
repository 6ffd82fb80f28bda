import type { StoppingCurve } from "@/core/chain";
import { stoppingCurve as measure } from "@/core/chain";
import type { Treatment } from "./crop";
import { inputOf } from "./input";
import type { Task } from "./task";

/** How far a step of a treatment should go on, as the halves show it; null where they cannot. */
export const stoppingCurve: Task<{ treatment: Treatment; index: number }, StoppingCurve | null> = {
  owned: async ({ treatment, index }, context) => {
    const known = treatment.facts.map((ids) => context.facts.valuesOf(ids));
    return measure(await inputOf(treatment, context), treatment.steps, known, index, context.job);
  },
};

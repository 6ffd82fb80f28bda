import type { StrengthCurve } from "@/core/chain";
import { strengthCurve as measure } from "@/core/chain";
import type { Treatment } from "./crop";
import { inputOf } from "./input";
import type { Task } from "./task";

/** What a step of a treatment does at rising strengths, as the halves show it; null where they cannot. */
export const strengthCurve: Task<{ treatment: Treatment; index: number }, StrengthCurve | null> = {
  owned: async ({ treatment, index }, context) => {
    const known = treatment.facts.map((ids) => context.facts.valuesOf(ids));
    return measure(await inputOf(treatment, context), treatment.steps, known, index, context.job);
  },
};

import type { FactKey, StepFacts } from "@/core/chain";
import { measureFacts as measure } from "@/core/chain";
import type { Treatment } from "./crop";
import { inputOf } from "./input";
import type { Task } from "./task";

export interface FactsPayload {
  treatment: Treatment;
  /** The step whose input is looked at; the facts of those before it must be there. */
  index: number;
  keys: FactKey[];
}

/** Facts of the picture as it is before a step of its chain. */
export const measureFacts: Task<FactsPayload, StepFacts> = {
  owned: async ({ treatment, index, keys }, context) => {
    const before = treatment.facts.slice(0, index).map((ids) => context.facts.valuesOf(ids));
    return measure(await inputOf(treatment, context), treatment.steps, before, index, keys, context.job);
  },
};

import type { FactKey, StepFacts } from "@/core/chain";
import { measureFacts as measure } from "@/core/chain";
import type { Treatment } from "./crop";
import type { Task } from "./task";

export interface FactsPayload {
  treatment: Treatment;
  /** The step whose input is looked at; the facts of those before it must be there. */
  index: number;
  keys: FactKey[];
}

/** Facts of the picture as it is before a step of its chain. */
export const measureFacts: Task<FactsPayload, StepFacts> = async ({ treatment, index, keys }, shop) => {
  const { picture, halves, fill, fullScale, steps, facts } = treatment;
  const input = {
    picture: await shop.frames.open(picture),
    halves: halves && { a: await shop.frames.open(halves.a), b: await shop.frames.open(halves.b) },
    ...{ fill, fullScale },
  };
  const before = facts.slice(0, index).map((ids) => shop.facts.valuesOf(ids));
  return measure(input, steps, before, index, keys, shop.job);
};

import { prepareStep } from "@/core/chain";
import type { Task } from "./task";
import type { Treatment } from "./crop";

export interface PreparePayload {
  treatment: Treatment;
  /** The step to prepare; the contexts of those before it must be there. */
  index: number;
}

/** The contexts of one step of a chain. */
export const prepare: Task<PreparePayload, unknown[]> = async ({ treatment, index }, shop) => {
  const { picture, halves, fill, fullScale, steps, contexts } = treatment;
  const input = {
    picture: await shop.frames.open(picture),
    halves: halves && { a: await shop.frames.open(halves.a), b: await shop.frames.open(halves.b) },
    ...{ fill, fullScale },
  };
  return prepareStep(input, steps, contexts, index, shop.job);
};

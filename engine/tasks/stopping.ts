import type { StoppingCurve } from "@/core/chain";
import { stoppingCurve as measure } from "@/core/chain";
import type { Treatment } from "./crop";
import type { Task } from "./task";

/** How far a step of a treatment should go on, as the halves tell it; null where they cannot. */
export const stoppingCurve: Task<{ treatment: Treatment; index: number }, StoppingCurve | null> = async (
  { treatment, index },
  shop,
) => {
  const { picture, halves, fill, fullScale, steps, facts } = treatment;
  const input = {
    picture: await shop.frames.open(picture),
    halves: halves && { a: await shop.frames.open(halves.a), b: await shop.frames.open(halves.b) },
    ...{ fill, fullScale },
  };
  const known = facts.map((ids) => shop.facts.valuesOf(ids));
  return measure(input, steps, known, index, shop.job);
};

import type { StrengthCurve } from "@/core/chain";
import { strengthCurve as measure } from "@/core/chain";
import type { Treatment } from "./crop";
import type { Task } from "./task";

/** What a step of a treatment does at rising strengths, as the halves tell it; null where they cannot. */
export const strengthCurve: Task<{ treatment: Treatment; index: number }, StrengthCurve | null> = async (
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

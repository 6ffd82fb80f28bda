import type { PictureState } from "../operations";
import { findOperation, untouchedState } from "../operations";
import type { ChainStep } from "./schema";

type Steps = readonly Pick<ChainStep, "operation" | "params" | "on">[];

/** What a picture is after the steps that are on. */
export function stateAfter(steps: Steps, input: PictureState): PictureState {
  let state = input;
  for (const { on, operation, params } of steps)
    if (on) state = findOperation(operation)?.output?.(state, params) ?? state;
  return state;
}

/** For what depends on the steps alone, whatever they are run on. */
const ANY = untouchedState({ width: 1, height: 1, channels: 1 });

/** Whether a linear picture is stretched after the steps that are on. */
export const isStretched = (steps: Steps): boolean => stateAfter(steps, ANY).domain === "stretched";

/** What comes of step `index` where it gets what it is not made for, in words; null where it stands right. It runs all the same. */
export function misplacement(steps: Steps, index: number): string | null {
  const operation = findOperation(steps[index].operation);
  if (operation?.madeFor === undefined || operation.madeFor === stateAfter(steps.slice(0, index), ANY).domain)
    return null;
  if (operation.madeFor === "stretched")
    return "Made for stretched data, and stands before a stretch: what it does is not what will be seen.";
  return operation.group === "stretch"
    ? "The picture is stretched already: this lifts shadows and noise once more."
    : "Made for linear data, and stands after a stretch, where light does not add up as the blur spread it: it may leave rims round bright stars. Move it before the stretch.";
}

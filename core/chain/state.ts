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

/** Whether step `index` gets what it is not made for: a flag, not a ban. */
export function standsWrong(steps: Steps, index: number): boolean {
  const wanted = findOperation(steps[index].operation)?.madeFor;
  return wanted !== undefined && wanted !== stateAfter(steps.slice(0, index), ANY).domain;
}

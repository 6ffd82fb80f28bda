import type { JobHandle } from "../job";
import { quietly, UserError } from "../job";
import { untouchedState } from "../operations";
import { placedValues } from "../parameters";
import type { FrameSource } from "../raster";
import { compose, inverse } from "../register";
import { changesGrid, gridSteps, sizeAfter, statesOf } from "./grid";
import type { ChainInput } from "./input";
import type { ReadyStep } from "./ready";
import { runChain } from "./run";

/** What steps make of a picture, as a picture: read where it is asked for. */
export function frameAfter(
  source: FrameSource,
  steps: readonly ReadyStep[],
  fill: number[],
  job: JobHandle,
): FrameSource {
  if (steps.length === 0) return source;
  const { width, height, channels } = sizeAfter(steps, source);
  const quiet = quietly(job);
  return { width, height, channels, read: (region) => runChain(source, steps, region, fill, quiet) };
}

/** The stack through those steps alone that change the grid: what a chain's result is held against. */
export function untouchedCounterpart(
  { picture, halves, fill }: ChainInput,
  steps: readonly ReadyStep[],
  job: JobHandle,
): Pick<ChainInput, "picture" | "halves"> {
  const ofGrid = gridSteps(steps, picture);
  const after = (source: FrameSource) => frameAfter(source, ofGrid, fill, job);
  return { picture: after(picture), halves: halves && { a: after(halves.a), b: after(halves.b) } };
}

/**
 * A chain of which the first steps change the grid, as one that runs on the picture as they leave
 * it: what is measured of a chain is measured there. Throws UserError where a later step changes it.
 */
export function onOwnGrid(
  input: ChainInput,
  steps: readonly ReadyStep[],
  job: JobHandle,
): { input: ChainInput; steps: ReadyStep[]; leading: ReadyStep[] } {
  const states = statesOf(steps, untouchedState(input.picture));
  const first = steps.findIndex((_, k) => !changesGrid(states[k], states[k + 1]));
  const count = first < 0 ? steps.length : first;
  if (states.slice(count, -1).some((state, k) => changesGrid(state, states[count + k + 1])))
    throw new UserError(
      "a step that changes size, place or channels stands after others",
      "Move it to the beginning of the chain, so that the result can be measured.",
    );
  if (count === 0) return { input, steps: [...steps], leading: [] };
  const leading = steps.slice(0, count);
  const { toSource, channels } = states[count];
  const { picture, fill } = input;
  const rest = steps.slice(count).map((ready) => {
    const { mask, step } = ready;
    const params = placedValues(ready.operation.parameters, step.params, inverse(toSource));
    const own = mask && {
      ...mask,
      untouched: mask.untouched ?? picture,
      toUntouched: mask.toUntouched ? compose(mask.toUntouched, toSource) : toSource,
    };
    return { ...ready, step: { ...step, params }, mask: own };
  });
  return {
    leading,
    steps: rest,
    input: {
      ...input,
      fill: Array.from({ length: channels }, (_, c) => fill[Math.min(c, fill.length - 1)]),
      ...untouchedCounterpart(input, leading, job),
    },
  };
}

import type { PictureState } from "../operations";
import { untouchedState } from "../operations";
import type { FrameSource, Region } from "../raster";
import { intersectRegions, wholeRegion } from "../raster";
import { IDENTITY, inverse, mapPoint } from "../register";
import type { ReadyStep } from "./ready";

/** What a picture is before each step, and after the last. */
export function statesOf(steps: readonly Pick<ReadyStep, "operation" | "step">[], input: PictureState): PictureState[] {
  const states = [input];
  for (const { operation, step } of steps) {
    const state = states[states.length - 1];
    states.push(operation.output?.(state, step.params) ?? state);
  }
  return states;
}

/** Whether a step gives other pixels than it gets: another size, another place of them, or other channels. */
export const changesGrid = (before: PictureState, after: PictureState): boolean =>
  before.toSource !== after.toSource ||
  before.width !== after.width ||
  before.height !== after.height ||
  before.channels !== after.channels;

/** The steps that give other pixels than they get. Of the picture they make its untouched counterpart of a chain's result. */
export function gridSteps(steps: readonly ReadyStep[], source: Size): ReadyStep[] {
  const states = statesOf(steps, untouchedState(source));
  return steps.filter((_, k) => changesGrid(states[k], states[k + 1]));
}

type Size = Pick<FrameSource, "width" | "height" | "channels">;

/** The size of what steps make of a picture. */
export const sizeAfter = (steps: readonly ReadyStep[], source: Size): PictureState =>
  statesOf(steps, untouchedState(source))[steps.length];

/**
 * Where a region of the picture that a chain began with lies in its result: the smallest region
 * that holds it there, cut to the result. Empty where it lies outside.
 */
export function regionAfter(state: PictureState, region: Region): Region {
  if (state.toSource === IDENTITY) return intersectRegions(region, wholeRegion(state));
  const back = inverse(state.toSource);
  // Borders of pixels, not their centres.
  const [left, top] = [region.x - 0.5, region.y - 0.5];
  const corners = [0, region.width].flatMap((w) => [0, region.height].map((h) => mapPoint(back, left + w, top + h)));
  const low = (k: 0 | 1) => Math.round(Math.min(...corners.map((corner) => corner[k])) + 0.5);
  const high = (k: 0 | 1) => Math.round(Math.max(...corners.map((corner) => corner[k])) + 0.5);
  const box = { x: low(0), y: low(1), width: high(0) - low(0), height: high(1) - low(1) };
  return intersectRegions(box, wholeRegion(state));
}

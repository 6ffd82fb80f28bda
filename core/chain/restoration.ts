import type { JobHandle } from "../job";
import { quietly } from "../job";
import type { Psf } from "../kernels";
import { convolved, psfRatio, RATIO_RADIUS, roundPsf, surroundings } from "../measure";
import type { Raster, Region } from "../raster";
import {
  cropRaster,
  difference,
  growRegion,
  intersectRegions,
  meanPlane,
  rasterOf,
  relativeTo,
  robustSpread,
  wholeRegion,
} from "../raster";
import type { ChainInput } from "./input";
import type { ReadyStep } from "./ready";
import { stepsForHalves } from "./ready";
import { chainHalo, runFilled } from "./run";
import { frameAt } from "./strength";

/** What the restored halves are held against is a half, its blur taken back no further than noise allows: P̄ over |P|² + this; a share |P|² over |P|² + this of each frequency is left of it, and of what is held against it. */
const LEAST_POWER = 1e-3;
/** Width at which pictures are compared that are shown as they come. */
const SHOWN_PX = 1.8;
/** Brighter than so many σ above the middle is left out: stars would decide for all. */
const BRIGHT = 60;

/** A place of both halves, ready for a step that takes blur away, and for other strengths of it. */
export interface Restoration {
  /** P̄ G over |P|² + ε, with which the other half is held against a restored one; errors are of one kind only where it is the same. */
  filter: Psf;
  /** By pixel of the place: 1 over the variance of its noise, 0 where it does not count. */
  weight: Float32Array;
  /** ½ (y_A − y_B)² by pixel, with y the filtered halves: the noise of what is held against, which is in every error. */
  heldNoise: Float32Array;
  /** By pixel: ½ ((w_A − y_B)² + (w_B − y_A)²) − ¼ (w_A − w_B)² + ¼ (u_A − u_B)², with w what of the restored halves can be held against y, and u the rest of them. */
  squares: (step: ReadyStep) => Promise<Float32Array>;
}

/**
 * How far off a place is that step `restoring` took blur from, as the halves show it: each half,
 * restored to x, is held against the other half filtered to y = G P̄/(|P|² + ε), P the blur and G
 * what the result is shown by: that other
 * noise is independent of its own. Of the truth y has G |P|²/(|P|² + ε) only, so x is held against
 * it through that share W: w = W x; of the rest, u = x − w, the halves show the noise alone. A
 * quarter of (w_A − w_B)² is taken off, since the stack has half the noise of a half, and a
 * quarter of (u_A − u_B)² is that noise.
 * All of it of the light. Null without halves, and for a step that does not say its blur. Source: cross-validation between halves; derivation.
 */
export async function restorationOf(
  { picture, halves, fill }: ChainInput,
  before: readonly ReadyStep[],
  restoring: ReadyStep,
  place: Region,
  job: JobHandle,
): Promise<Restoration | null> {
  const blur = restoring.operation.can.restoration?.blur?.(restoring.step.params, restoring.facts[0]);
  if (!halves || !blur) return null;
  const shown = blur.target ?? roundPsf(SHOWN_PX, 3, RATIO_RADIUS);
  const filter = psfRatio(blur.psf, shown, LEAST_POWER);
  const share = psfRatio(blur.psf, blur.psf, LEAST_POWER);
  const quiet = quietly(job);
  const reach = Math.max(RATIO_RADIUS, chainHalo([restoring])) + RATIO_RADIUS;
  const area = intersectRegions(growRegion(place, reach), wholeRegion(picture));
  const ofHalf = stepsForHalves([...before], picture);
  const [a, b] = [
    await runFilled(halves.a, ofHalf, area, fill, quiet),
    await runFilled(halves.b, ofHalf, area, fill, quiet),
  ];
  const through = (plane: Float32Array, { width, height }: Region, psf: Psf) =>
    convolved(plane, width, height, psf, job.kernels);
  const inside = (plane: Float32Array, from: Region) =>
    cropRaster(rasterOf(from.width, from.height, [plane]), relativeTo(from, place)).planes[0];
  const [yA, yB] = [a, b].map((half) => inside(through(meanPlane(half), area, filter), area));
  const wide = intersectRegions(growRegion(place, RATIO_RADIUS), wholeRegion(picture));
  const restored = async (half: Raster, step: ReadyStep) => {
    const [own] = stepsForHalves([step], picture);
    const out = meanPlane(await runFilled(frameAt(half, area, picture), [own], wide, fill, quiet));
    const whole = blur.target ? out : through(out, wide, shown);
    const [all, held] = [inside(whole, wide), inside(through(whole, wide, share), wide)];
    return { held, beyond: difference(all, held) };
  };
  return {
    filter,
    weight: weightsOf(inside(meanPlane(a), area), inside(meanPlane(b), area), place, job),
    heldNoise: yA.map((v, i) => (v - yB[i]) ** 2 / 2),
    squares: async (step) => {
      const [xA, xB] = [await restored(a, step), await restored(b, step)];
      return xA.held.map(
        (v, i) =>
          ((v - yB[i]) ** 2 + (xB.held[i] - yA[i]) ** 2) / 2 +
          ((xA.beyond[i] - xB.beyond[i]) ** 2 - (v - xB.held[i]) ** 2) / 4,
      );
    },
  };
}

/** 1 over the variance of the noise of a place, 0 where it is bright. */
function weightsOf(a: Float32Array, b: Float32Array, { width, height }: Region, job: JobHandle): Float32Array {
  const noise = a.map((v, i) => (v - b[i]) / 2);
  const { sigma } = robustSpread(noise);
  const level = surroundings(
    a.map((v, i) => (v + b[i]) / 2),
    width,
    height,
    job.kernels,
  );
  const { centre } = robustSpread(level);
  return level.map((v) => (sigma > 0 && v - centre < BRIGHT * sigma ? 1 / (sigma * sigma) : 0));
}

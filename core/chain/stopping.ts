import type { JobHandle } from "../job";
import type { Psf } from "../kernels";
import { psfRatio, RATIO_RADIUS, roundPsf, surroundings } from "../measure";
import type { Raster, Region } from "../raster";
import {
  cropRaster,
  growRegion,
  intersectRegions,
  meanPlane,
  mirrored,
  rasterOf,
  relativeTo,
  robustSpread,
  wholeRegion,
} from "../raster";
import type { ChainInput } from "./measure";
import type { ReadyStep, StepFacts } from "./ready";
import { readySteps, stepsForHalves } from "./ready";
import { chainHalo, runFilled } from "./run";
import type { ChainStep } from "./schema";
import { frameAt, placesOf } from "./strength";

export interface StoppingCurve {
  values: number[];
  /** Error by value, as the halves tell it: mean square over the noise's variance, but for a constant. */
  risk: number[];
  /** The value of least error; null where values make no difference. */
  best: number | null;
}

/** Numbers of iterations that are looked at. */
const VALUES = [1, 2, 3, 5, 8, 12, 18, 26, 38, 55, 80, 100];
/** What the restored halves are held against is a half, its blur taken back no further than noise allows: P̄ over |P|² + this. */
const LEAST_POWER = 1e-3;
/** Width at which pictures are compared that are shown as they come. */
const SHOWN_PX = 1.8;
/** Brighter than so many σ above the middle is left out: stars would decide for all. */
const BRIGHT = 60;
/** Risks that differ by less are alike. */
const LEAST_DIFFERENCE = 0.002;

/**
 * How far step `index` should go on, as the halves tell it: each half, restored by so many iterations, is held against the other half filtered by G P̄ over |P|² + ε, P the blur and G what the result is shown by: that other
 * noise is independent of its own. Of mean((x_A − y_B)²/σ²) a quarter of mean((x_A − x_B)²/σ²) is taken off, since the stack has half the noise of a half; both ways round. Its least is where further iterations cost more noise than they bring
 * detail. Null where there are no halves, or the step does not go on by itself. Source: cross-validation between halves; derivation.
 */
export async function stoppingCurve(
  input: ChainInput,
  steps: readonly ChainStep[],
  facts: readonly StepFacts[],
  index: number,
  job: JobHandle,
): Promise<StoppingCurve | null> {
  const upTo = readySteps(steps.slice(0, index + 1), facts);
  const stopping = upTo[upTo.length - 1]?.operation.stopping;
  if (!input.halves || !steps[index]?.on || !stopping) return null;
  const { picture, halves, fill } = input;
  const last = upTo[upTo.length - 1];
  const blur = last.operation.blur?.(last.step.params, last.facts[0]);
  if (!blur) return null;
  const ofHalf = stepsForHalves(upTo, picture);
  const [before, restoring] = [ofHalf.slice(0, -1), ofHalf[ofHalf.length - 1]];
  const at = (value: number): ReadyStep => ({
    ...restoring,
    step: { ...restoring.step, blend: 1, params: { ...restoring.step.params, [stopping.field]: value } },
  });
  const shown = blur.target ?? roundPsf(SHOWN_PX, 3, RATIO_RADIUS);
  const filter = psfRatio(blur.psf, shown, LEAST_POWER);
  const quiet = { ...job, progress: () => undefined };
  const reach = Math.max(RATIO_RADIUS, chainHalo([restoring])) + RATIO_RADIUS;
  const risk = VALUES.map(() => 0);
  const places = placesOf(picture);
  for (const [n, place] of places.entries()) {
    const area = intersectRegions(growRegion(place, reach), wholeRegion(picture));
    const inner = relativeTo(area, place);
    const sources = [halves.a, halves.b];
    const [a, b] = await Promise.all(sources.map((source) => runFilled(source, before, area, fill, quiet)));
    const light = (raster: Raster) => meanPlane(raster);
    const inside = (plane: Float32Array, of: Region = inner) =>
      cropRaster(rasterOf(area.width, area.height, [plane]), of).planes[0];
    const [yA, yB] = [a, b].map((half) => inside(convolved(light(half), area, filter, job)));
    const weight = weightsOf(inside(light(a)), inside(light(b)), place, job);
    const restored = async (half: Raster, value: number) => {
      const wide = intersectRegions(growRegion(place, RATIO_RADIUS), wholeRegion(picture));
      const out = light(await runFilled(frameAt(half, area, picture), [at(value)], wide, fill, quiet));
      const whole = blur.target ? out : convolved(out, wide, shown, job);
      return cropRaster(rasterOf(wide.width, wide.height, [whole]), relativeTo(wide, place)).planes[0];
    };
    for (const [k, value] of VALUES.entries()) {
      await job.breathe();
      const [xA, xB] = [await restored(a, value), await restored(b, value)];
      risk[k] += square(xA, yB, weight) + square(xB, yA, weight) - 0.5 * square(xA, xB, weight);
      job.progress((n + (k + 1) / VALUES.length) / places.length);
    }
  }
  const mean = risk.map((sum) => sum / (2 * places.length));
  const [least, most] = [Math.min(...mean), Math.max(...mean)];
  return { values: VALUES, risk: mean, best: most - least > LEAST_DIFFERENCE ? VALUES[mean.indexOf(least)] : null };
}

/** A plane through a filter, mirrored beyond its border. */
function convolved(plane: Float32Array, { width, height }: Region, psf: Psf, job: JobHandle): Float32Array {
  const margin = (psf.size - 1) / 2;
  const { grown, pitch, rows } = mirrored(plane, width, height, margin);
  const out = rasterOf(pitch, rows, [job.kernels.convolve(grown, pitch, rows, psf)]);
  return cropRaster(out, { x: margin, y: margin, width, height }).planes[0];
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

/** Mean of the squares of differences, weighted. */
function square(a: Float32Array, b: Float32Array, weight: Float32Array): number {
  let [sum, count] = [0, 0];
  for (let i = 0; i < a.length; i++) {
    if (weight[i] === 0) continue;
    sum += weight[i] * (a[i] - b[i]) ** 2;
    count++;
  }
  return count > 0 ? sum / count : 0;
}

import { smoothed } from "../measure";
import type { JobHandle } from "../job";
import { quietly } from "../job";
import type { FrameSource, Raster, Region } from "../raster";
import { cropRaster, growRegion, halfDifference, intersectRegions, quantile, relativeTo, wholeRegion } from "../raster";
import type { ChainInput } from "./input";
import { added, DISTURBED, NOISIER, sigmaOfLight } from "./noiseLeft";
import { overPlaces, placesOf } from "./overPlaces";
import { onOwnGrid } from "./ownGrid";
import type { ReadyStep, StepFacts } from "./ready";
import { readySteps, stepsForHalves, stepsForNoisier } from "./ready";
import { chainHalo, runFilled } from "./run";
import type { ChainStep } from "./schema";

/**
 * What a step does at rising strengths, as the halves show it: the picture z with a share α of the
 * noise that they show, n = (A − B)/2, added is treated and held against z − n/α, whose noise is
 * independent of that.
 * Smaller shares come nearer to the noise of the picture itself.
 */

export interface StrengthCurve {
  strengths: number[];
  /** Noise that remains, in dB of that before the step (20 log₁₀ σ/σ). */
  leftDb: number[];
  /** Error of the treated picture in σ of the noise before, but for what noise was added (α). */
  error: number[];
  /** The strength of least error; null where strength makes no difference. */
  best: number | null;
}

const STRENGTHS = Array.from({ length: 11 }, (_, k) => k / 10);
/** Smoothings over which the noise about a pixel is measured. */
const SMOOTHINGS = 4;
/** Errors that differ by less, in σ, are alike. */
const LEAST_DIFFERENCE = 0.005;
/** Finer steps between which the best strength is found. */
const FINE = 100;

/**
 * The curve of step `index`, whose facts and those before it must be there; null where there are no halves, or where the step is off. Noise left: difference of what comes of z + αn and of z − αn. Error: mean of
 * (D(z + αn) − (z − n/α))²/v less that at strength 0, which is known (1 + α²), v the local variance of n, and the same for −n; its least is where more strength costs more signal than it takes noise.
 * Source: Oliveira, Lei & Tibshirani 2023, JMLR (coupled bootstrap), from memory; noise from the halves.
 */
export async function strengthCurve(
  whole: ChainInput,
  steps: readonly ChainStep[],
  facts: readonly StepFacts[],
  index: number,
  job: JobHandle,
): Promise<StrengthCurve | null> {
  const upTo = readySteps(steps.slice(0, index + 1), facts);
  const how = upTo.at(-1)?.operation.can.strength;
  if (!whole.halves || !steps[index]?.on || !how) return null;
  const own = onOwnGrid(whole, upTo, job);
  const { input } = own;
  if (!input.halves) return null;
  const before = own.steps.slice(0, -1);
  const halfBefore = stepsForHalves(before, input.picture);
  const [last] = stepsForNoisier(own.steps.slice(-1), input.picture, NOISIER);
  const at = (strength: number): ReadyStep => {
    const params = { ...last.step.params, ...how.mixes?.full, [how.field]: strength };
    return { ...last, step: { ...last.step, params } };
  };
  const quiet = quietly(job);
  const left = STRENGTHS.map((): number[] => []);
  const errors = STRENGTHS.map(() => 0);
  let weight = 0;
  const places = placesOf(input.picture);
  const reach = chainHalo([last]);
  const { picture, halves, fill } = input;
  await overPlaces(places, STRENGTHS.length, job, async (place) => {
    const area = intersectRegions(growRegion(place, reach), wholeRegion(picture));
    const of = (source: FrameSource, chain: ReadyStep[]) => runFilled(source, chain, area, fill, quiet);
    const z = await of(picture, before);
    const noise = halfDifference(await of(halves.a, halfBefore), await of(halves.b, halfBefore));
    const inside = (raster: Raster) => cropRaster(raster, relativeTo(area, place));
    const [plus, minus] = [DISTURBED, -DISTURBED].map((share) => added(z, noise, share));
    const [toPlus, toMinus] = [DISTURBED, -DISTURBED].map((share) => inside(added(z, noise, -1 / share)));
    const [fromPlus, fromMinus] = [inside(plus), inside(minus)];
    const variance = localVariance(inside(noise), job);
    const treated = async (of: Raster, strength: number) =>
      runFilled(frameAt(of, area, picture), [at(strength)], place, fill, quiet);
    const full = how.mixes ? [await treated(plus, 1), await treated(minus, 1)] : null;
    weight += 2 * place.width * place.height * z.channels;
    return async (k) => {
      const strength = STRENGTHS[k];
      const [p, q] = full
        ? [between(fromPlus, full[0], strength), between(fromMinus, full[1], strength)]
        : [await treated(plus, strength), await treated(minus, strength)];
      left[k].push(spreadOf(p, q) / spreadOf(fromPlus, fromMinus));
      errors[k] += squares(p, toPlus, variance) + squares(q, toMinus, variance);
    };
  });
  const mean = (values: number[]) => values.reduce((sum, v) => sum + v, 0) / values.length;
  const error = errors.map((sum) => Math.sqrt(Math.max(0, 1 + DISTURBED ** 2 + (sum - errors[0]) / weight)));
  return {
    strengths: STRENGTHS,
    leftDb: left.map((shares) => 20 * Math.log10(Math.max(1e-4, mean(shares)))),
    error,
    best: Math.max(...error) - Math.min(...error) > LEAST_DIFFERENCE ? leastOf(errors) : null,
  };
}

/** Of so many pixels the lower tenth is measured. */
const QUANTILE_OF = 1 << 15;

/** Variance of the noise about each pixel, by channel: its smoothed square, no less than its lower tenth. */
export function localVariance({ planes, width, height }: Raster, job: JobHandle): Float32Array[] {
  return planes.map((plane) => {
    const squares = new Float32Array(plane.length);
    for (let i = 0; i < squares.length; i++) squares[i] = plane[i] * plane[i];
    const out = smoothed(squares, width, height, SMOOTHINGS, job.kernels);
    const least = Math.max(quantile(out, 0.1, QUANTILE_OF), 1e-30);
    for (let i = 0; i < out.length; i++) if (!(out[i] >= least)) out[i] = least;
    return out;
  });
}

/** A region of a picture as a picture of that size: nothing else of it is read. */
export function frameAt(raster: Raster, { x, y }: Region, { width, height, channels }: FrameSource): FrameSource {
  const read = (region: Region) => Promise.resolve(cropRaster(raster, { ...region, x: region.x - x, y: region.y - y }));
  return { width, height, channels, read };
}

function between(before: Raster, after: Raster, share: number): Raster {
  const planes = after.planes.map((plane, c) =>
    plane.map((v, i) => before.planes[c][i] + share * (v - before.planes[c][i])),
  );
  return { ...after, planes };
}

/** σ of the light's difference, told as that of the noise under the crops. */
const spreadOf = (a: Raster, b: Raster): number => sigmaOfLight(added(a, b, -1));

/** Σ (treated − other)²/variance. */
function squares(treated: Raster, untouched: Raster, noise: Float32Array[]): number {
  let sum = 0;
  treated.planes.forEach((plane, c) => {
    for (let i = 0; i < plane.length; i++) sum += (plane[i] - untouched.planes[c][i]) ** 2 / noise[c][i];
  });
  return sum;
}

/** Where the parabola through the least value and its neighbours is least; at an end where that is. */
function leastOf(values: readonly number[]): number {
  const k = values.indexOf(Math.min(...values));
  const at = STRENGTHS[k];
  if (k === 0 || k === values.length - 1) return at;
  const [p, q, r] = [values[k - 1], values[k], values[k + 1]];
  const bend = p - 2 * q + r;
  const step = STRENGTHS[1] - STRENGTHS[0];
  return Math.round((at + (bend > 0 ? (step * (p - r)) / (2 * bend) : 0)) * FINE) / FINE;
}

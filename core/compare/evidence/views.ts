import type { ChainInput, ReadyStep } from "../../chain";
import { added, chainHalo, frameAt, runFilled, stepsForHalves, stepsForNoisier } from "../../chain";
import type { JobHandle } from "../../job";
import { gaussianPsf } from "../../operations";
import type { FrameSource, Raster, Region } from "../../raster";
import {
  cropRaster,
  growRegion,
  halfDifference,
  intersectRegions,
  meanPlane,
  mirrored,
  rasterOf,
  relativeTo,
  wholeRegion,
} from "../../raster";

/** The share of the noise that the halves show by which the picture is disturbed: small, so that its noise stays nearly its own. */
export const DISTURBED = 0.25;

/** What evidence is told from: the light (mean of the channels) of a place with its surroundings, row-major, each `width` × `height`. */
export interface EvidenceViews {
  width: number;
  height: number;
  /** Where the place lies in it. */
  inside: Region;
  /** The stack before the chain; stretched as the chain stretches, where it does. */
  before: Float32Array;
  /** What the chain makes of it. */
  after: Float32Array;
  /** That, blurred as the stack is where the chain takes blur away: what it says the data should look like. */
  told: Float32Array;
  /** FWHM of that blur, px; 0 for none. */
  blurPx: number;
  /** (A − B)/2 before the chain, and the halves. Null without halves. */
  noise: Float32Array | null;
  halves: { a: Float32Array; b: Float32Array } | null;
  /** What the chain leaves of that noise, and what it takes: from the stack with a share of it added and taken off. */
  left: Float32Array | null;
  /** The same pictures: the stack with that share added and taken off, treated and blurred as `told`. */
  disturbed: { plus: Float32Array; minus: Float32Array } | null;
  taken: Float32Array | null;
  /** The halves, each treated at its own noise. */
  treatedHalves: { a: Float32Array; b: Float32Array } | null;
  /** Whether values are as the sensor counts: nothing stretches them. */
  isLinear: boolean;
}

/** Surroundings of a place that the maps need, in px: four starlet scales (30), the largest mean (13), and what tells the noise about a pixel (30). */
export const EVIDENCE_HALO = 64;

/** The views of a place; the facts of the steps are those of the whole stack. */
export async function evidenceViews(
  { picture, halves, fill }: ChainInput,
  steps: readonly ReadyStep[],
  place: Region,
  job: JobHandle,
): Promise<EvidenceViews> {
  const whole = wholeRegion(picture);
  const area = intersectRegions(growRegion(place, EVIDENCE_HALO), whole);
  const reach = intersectRegions(growRegion(area, chainHalo(steps)), whole);
  const quiet = { ...job, progress: () => undefined };
  const stretches = steps.filter(({ operation }) => operation.group === "stretch");
  const light = async (source: FrameSource, chain: readonly ReadyStep[]) =>
    meanPlane(await runFilled(source, chain, area, fill, quiet));
  const read = (source: FrameSource) => runFilled(source, [], reach, fill, quiet);
  const z = await read(picture);
  const source = frameAt(z, reach, picture);
  const before = await light(source, stretches);
  const after = await light(source, steps);
  job.progress(0.3);
  const { width, height } = area;
  const views = { width, height, inside: relativeTo(area, place), before, after, isLinear: stretches.length === 0 };
  const takesBlur = steps.some(({ operation: { group } }) => group === "deconvolve" || group === "detail");
  const blurPx = takesBlur ? fittingBlur(after, before, width, height, job) : 0;
  const told = blurPx > 0 ? blurred(after, width, height, blurPx, job) : after;
  if (!halves)
    return {
      ...views,
      told,
      blurPx,
      noise: null,
      halves: null,
      left: null,
      disturbed: null,
      taken: null,
      treatedHalves: null,
    };
  const [rawA, rawB] = [await read(halves.a), await read(halves.b)];
  const of = (raster: Raster) => frameAt(raster, reach, picture);
  const forHalves = stepsForHalves(steps as ReadyStep[], picture);
  const stretchesOfHalves = stepsForHalves(stretches, picture);
  const [a, b] = [await light(of(rawA), stretchesOfHalves), await light(of(rawB), stretchesOfHalves)];
  const rawNoise = halfDifference(rawA, rawB);
  const noisier = stepsForNoisier(steps as ReadyStep[], picture, Math.sqrt(1 + DISTURBED ** 2));
  const disturbedBy = async (share: number) => light(of(added(z, rawNoise, share)), noisier);
  const [plus, minus] = [await disturbedBy(DISTURBED), await disturbedBy(-DISTURBED)];
  const left = plus.map((v, i) => (v - minus[i]) / (2 * DISTURBED));
  job.progress(0.7);
  const treatedHalves = { a: await light(of(rawA), forHalves), b: await light(of(rawB), forHalves) };
  const noise = a.map((v, i) => (v - b[i]) / 2);
  const asTold = (plane: Float32Array) => (blurPx > 0 ? blurred(plane, width, height, blurPx, job) : plane);
  const leftTold = asTold(left);
  const taken = noise.map((v, i) => v - leftTold[i]);
  const disturbed = { plus: asTold(plus), minus: asTold(minus) };
  return { ...views, told, blurPx, noise, halves: { a, b }, left, disturbed, taken, treatedHalves };
}

/** A plane through a Gaussian of that FWHM, mirrored beyond its border. */
export function blurred(
  plane: Float32Array,
  width: number,
  height: number,
  fwhmPx: number,
  job: JobHandle,
): Float32Array {
  const psf = gaussianPsf(fwhmPx);
  const margin = (psf.size - 1) / 2;
  const { grown, pitch, rows } = mirrored(plane, width, height, margin);
  const out = rasterOf(pitch, rows, [job.kernels.convolve(grown, pitch, rows, psf)]);
  return cropRaster(out, { x: margin, y: margin, width, height }).planes[0];
}

/** Widths that are tried, and the step between them. */
const [WIDEST, STEP] = [7, 0.5];

/** The Gaussian, by its FWHM in px, that makes a sharpened picture most alike the one before; 0 where none makes it more alike. */
function fittingBlur(sharp: Float32Array, before: Float32Array, width: number, height: number, job: JobHandle): number {
  // Roots, so that bright stars do not decide alone.
  let least = Infinity;
  for (const v of before) if (v < least) least = v;
  const root = (v: number) => Math.sqrt(Math.max(0, v - least));
  const errors: number[] = [];
  for (let fwhm = 0; fwhm <= WIDEST; fwhm += STEP) {
    const tried = fwhm === 0 ? sharp : blurred(sharp, width, height, fwhm, job);
    let sum = 0;
    for (let i = 0; i < before.length; i++) sum += (root(tried[i]) - root(before[i])) ** 2;
    errors.push(sum);
    if (errors.length > 3 && sum > 2 * Math.min(...errors)) break;
  }
  const k = errors.indexOf(Math.min(...errors));
  if (k === 0 || k === errors.length - 1) return k * STEP;
  const bend = errors[k - 1] - 2 * errors[k] + errors[k + 1];
  return (k + (bend > 0 ? (errors[k - 1] - errors[k + 1]) / (2 * bend) : 0)) * STEP;
}

import type { ChainInput, ReadyStep } from "../../chain";
import { added, chainHalo, frameAt, runFilled, stepsForHalves, stepsForNoisier } from "../../chain";
import type { JobHandle } from "../../job";
import { solveSymmetric } from "../../numeric/leastSquares";
import { gaussianPsf } from "../../operations";
import type { FrameSource, Raster, Region } from "../../raster";
import {
  cropRaster,
  growRegion,
  halfDifference,
  intersectRegions,
  meanPlane,
  mirrored,
  quantile,
  rasterOf,
  relativeTo,
  robustSpread,
  wholeRegion,
} from "../../raster";
import { bands } from "./bands";

/** The share of the noise that the halves show by which the picture is disturbed: small, so that its noise stays nearly its own. */
export const DISTURBED = 0.25;

/** What evidence is told from: the light (mean of the channels) of a place with its surroundings, row-major, each `width` × `height`. */
export interface EvidenceViews {
  width: number;
  height: number;
  /** Where the place lies in it. */
  inside: Region;
  /** The stack and what the chain makes of it in all channels, without gaps; of the same size. */
  pictures: { before: Raster; after: Raster };
  /** The stack before the chain; stretched as the chain stretches, where it does. */
  before: Float32Array;
  /** What the chain makes of it. */
  after: Float32Array;
  /** That, blurred as the stack is where the chain takes blur away: what it says the data should look like. */
  told: Float32Array;
  /** Whether it was blurred so. */
  isBlurred: boolean;
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
  const of = (source: FrameSource, chain: readonly ReadyStep[]) => runFilled(source, chain, area, fill, quiet);
  const light = async (source: FrameSource, chain: readonly ReadyStep[]) => meanPlane(await of(source, chain));
  const read = (source: FrameSource) => runFilled(source, [], reach, fill, quiet);
  const z = await read(picture);
  const source = frameAt(z, reach, picture);
  const before = await light(source, stretches);
  const pictures = { before: await of(source, []), after: await of(source, steps) };
  const after = meanPlane(pictures.after);
  job.progress(0.3);
  const { width, height } = area;
  const views = {
    width,
    height,
    inside: relativeTo(area, place),
    pictures,
    before,
    after,
    isLinear: stretches.length === 0,
  };
  const takesBlur = steps.some(({ operation: { group } }) => group === "deconvolve" || group === "detail");
  const blur = takesBlur ? fittingBlur(after, before, width, height, job) : null;
  const asTold = (plane: Float32Array) => (blur ? mixedBlur(plane, width, height, blur, job) : plane);
  const told = asTold(after);
  if (!halves)
    return {
      ...views,
      told,
      isBlurred: blur !== null,
      noise: null,
      halves: null,
      left: null,
      disturbed: null,
      taken: null,
      treatedHalves: null,
    };
  const [rawA, rawB] = [await read(halves.a), await read(halves.b)];
  const asFrame = (raster: Raster) => frameAt(raster, reach, picture);
  const forHalves = stepsForHalves(steps as ReadyStep[], picture);
  const stretchesOfHalves = stepsForHalves(stretches, picture);
  const [a, b] = [await light(asFrame(rawA), stretchesOfHalves), await light(asFrame(rawB), stretchesOfHalves)];
  const rawNoise = halfDifference(rawA, rawB);
  const noisier = stepsForNoisier(steps as ReadyStep[], picture, Math.sqrt(1 + DISTURBED ** 2));
  const disturbedBy = async (share: number) => light(asFrame(added(z, rawNoise, share)), noisier);
  const [plus, minus] = [await disturbedBy(DISTURBED), await disturbedBy(-DISTURBED)];
  const left = plus.map((v, i) => (v - minus[i]) / (2 * DISTURBED));
  job.progress(0.7);
  const treatedHalves = { a: await light(asFrame(rawA), forHalves), b: await light(asFrame(rawB), forHalves) };
  const noise = a.map((v, i) => (v - b[i]) / 2);
  const leftTold = asTold(left);
  const taken = noise.map((v, i) => v - leftTold[i]);
  const disturbed = { plus: asTold(plus), minus: asTold(minus) };
  return { ...views, told, isBlurred: blur !== null, noise, halves: { a, b }, left, disturbed, taken, treatedHalves };
}

/** A plane through a Gaussian of that FWHM, mirrored beyond its border. */
function blurred(plane: Float32Array, width: number, height: number, fwhmPx: number, job: JobHandle): Float32Array {
  const psf = gaussianPsf(fwhmPx);
  const margin = (psf.size - 1) / 2;
  const { grown, pitch, rows } = mirrored(plane, width, height, margin);
  const out = rasterOf(pitch, rows, [job.kernels.convolve(grown, pitch, rows, psf)]);
  return cropRaster(out, { x: margin, y: margin, width, height }).planes[0];
}

/** Gaussians, by FWHM in px, of which the blur is put together; 0 leaves the picture as it is. */
const PARTS = [0, 1, 1.5, 2.2, 3.3, 5, 7.5];
/** Share of a pixel's light that it may be off by beside its noise: so that bright stars do not decide alone. */
const OFF = 0.03;
/** Keeps the parts from fighting one another where the picture does not tell them apart. */
const RIDGE = 1e-4;

/**
 * The blur that makes a sharpened picture most alike the one before, as shares of Gaussians that add up to 1: by least squares over all pixels, each over its noise and 3 % of its light. Null where leaving it as it is does as well.
 */
function fittingBlur(
  sharp: Float32Array,
  before: Float32Array,
  width: number,
  height: number,
  job: JobHandle,
): number[] | null {
  const { sigma } = robustSpread(bands(before, width, height, job, 1)[0]);
  const sky = quantile(before, 0.2);
  const weight = before.map((v) => 1 / (sigma ** 2 + (OFF * Math.max(0, v - sky)) ** 2 + 1e-30));
  const parts = PARTS.map((fwhm) => (fwhm === 0 ? sharp : blurred(sharp, width, height, fwhm, job)));
  // Shares of all but the first, whose share is what is left of 1.
  const columns = parts.slice(1).map((part) => part.map((v, i) => v - sharp[i]));
  const n = columns.length;
  const matrix = new Float64Array(n * n);
  const right = new Float64Array(n);
  let [apart, least] = [0, 0];
  for (let i = 0; i < before.length; i++) {
    const rest = before[i] - sharp[i];
    apart += weight[i] * rest * rest;
    for (let p = 0; p < n; p++) {
      const at = weight[i] * columns[p][i];
      right[p] += at * rest;
      for (let q = 0; q < n; q++) matrix[p * n + q] += at * columns[q][i];
    }
  }
  let trace = 0;
  for (let p = 0; p < n; p++) trace += matrix[p * n + p];
  for (let p = 0; p < n; p++) matrix[p * n + p] += (RIDGE * trace) / n;
  const shares = solveSymmetric(matrix, right);
  if (!shares) return null;
  for (let i = 0; i < before.length; i++) {
    let rest = before[i] - sharp[i];
    for (let p = 0; p < n; p++) rest -= shares[p] * columns[p][i];
    least += weight[i] * rest * rest;
  }
  if (!(least < GAIN * apart)) return null;
  return [1 - shares.reduce((sum, v) => sum + v, 0), ...shares];
}

/** A blur that explains less of the difference is none. */
const GAIN = 0.98;

/** A plane through a blur that is put together of Gaussians. */
function mixedBlur(plane: Float32Array, width: number, height: number, shares: number[], job: JobHandle): Float32Array {
  const out = plane.map((v) => shares[0] * v);
  PARTS.forEach((fwhm, k) => {
    if (fwhm === 0 || shares[k] === 0) return;
    const part = blurred(plane, width, height, fwhm, job);
    for (let i = 0; i < out.length; i++) out[i] += shares[k] * part[i];
  });
  return out;
}

import type { ChainInput, ChainMemo, NoiseLeft, ReadyStep } from "../../chain";
import {
  chainHalo,
  differenceOver,
  DISTURBED,
  disturbedFrame,
  disturbedWeight,
  forOneRun,
  NOISIER,
  runFilled,
  splitForMode,
  stepsForHalves,
  stepsForNoisier,
} from "../../chain";
import type { JobHandle } from "../../job";
import type { Psf } from "../../kernels";
import { meanAround, psfRatio } from "../../measure";
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
  difference,
} from "../../raster";
import { bands } from "./bands";

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
  /** Share of the light in a scale by which what was blurred so may differ from the stack; 0 where it was not. */
  leeway: number;
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
  /** What the chain leaves of the noise, in all channels; null without halves. */
  remaining: NoiseLeft | null;
  /** What the chain took for a megapixel here, s. */
  secondsPerMpx: number;
  /** Whether values are as the sensor counts: nothing stretches them. */
  isLinear: boolean;
}

/** Surroundings of a place that the maps need, in px: four starlet scales (30) and the largest mean (13). */
const EVIDENCE_HALO = 48;

/** What evidence is told from: the stack, its halves, and the stack with a share of its noise added and taken off. */
export const EVIDENCE_SOURCES = ["whole", "a", "b", "plus", "minus"] as const;
export type EvidenceSource = (typeof EVIDENCE_SOURCES)[number];

const areaOf = (place: Region, picture: FrameSource): Region =>
  intersectRegions(growRegion(place, EVIDENCE_HALO), wholeRegion(picture));

/** What a chain makes of one of them, each at its own noise, over a place with its surroundings. All but the whole need halves. `memo` keeps what it was made of. */
export async function treatedSource(
  { picture, halves, fill }: ChainInput,
  steps: readonly ReadyStep[],
  place: Region,
  which: EvidenceSource,
  job: JobHandle,
  memo?: ChainMemo,
): Promise<Raster> {
  const run = (source: FrameSource, chain: readonly ReadyStep[]) =>
    runFilled(source, chain, areaOf(place, picture), fill, { ...job, progress: () => undefined }, memo);
  if (which === "whole") return run(picture, steps);
  if (!halves) throw new RangeError("a stack without halves has nothing else to tell evidence from");
  if (which === "a" || which === "b") return run(halves[which], stepsForHalves([...steps], picture));
  const share = which === "plus" ? DISTURBED : -DISTURBED;
  return run(disturbedFrame(picture, halves, share), stepsForNoisier([...steps], picture, NOISIER));
}

/** The views of a place; the facts of the steps are those of the whole stack. `treated` gives what the chain makes of each source, where that is made elsewhere. */
export async function evidenceViews(
  input: ChainInput,
  steps: readonly ReadyStep[],
  place: Region,
  job: JobHandle,
  treated = (which: EvidenceSource, memo?: ChainMemo) => treatedSource(input, steps, place, which, job, memo),
): Promise<EvidenceViews> {
  const { picture, halves, fill } = input;
  const area = areaOf(place, picture);
  const stretches = steps.filter(({ operation }) => operation.group === "stretch");
  const light = async (source: FrameSource, chain: readonly ReadyStep[]) =>
    meanPlane(await runFilled(source, chain, area, fill, { ...job, progress: () => undefined }));
  const before = await light(picture, stretches);
  const untouched = await runFilled(picture, [], area, fill, job);
  const started = Date.now();
  const ofWhole = forOneRun();
  const pictures = { before: untouched, after: await treated("whole", ofWhole) };
  const secondsPerMpx = (1000 * (Date.now() - started)) / (area.width * area.height);
  const after = meanPlane(pictures.after);
  job.progress(0.3);
  const { width, height } = area;
  const takesBlur = steps.some(({ operation: { group } }) => group === "deconvolve" || group === "detail");
  const known = takesBlur && stretches.length === 0 ? await knownBlur(input, steps, area, job, ofWhole) : null;
  const blur = takesBlur && !known ? fittingBlur(after, before, width, height, job) : null;
  /** As blurred as what the chain was given, `given`. */
  const asTold = (plane: Float32Array, given: Float32Array) =>
    known
      ? toldAgain(plane, given, width, height, known, job)
      : blur
        ? mixedBlur(plane, width, height, blur, job)
        : plane;
  const views = {
    ...{ width, height, inside: relativeTo(area, place) },
    ...{ pictures, secondsPerMpx, before, after },
    ...{
      told: asTold(after, before),
      leeway: known ? KNOWN_LEEWAY : blur ? FITTED_LEEWAY : 0,
      isLinear: stretches.length === 0,
    },
  };
  if (!halves)
    return {
      ...views,
      ...{ noise: null, halves: null, left: null, disturbed: null, taken: null, treatedHalves: null, remaining: null },
    };
  const ofHalves = stepsForHalves(stretches, picture);
  const [a, b] = [await light(halves.a, ofHalves), await light(halves.b, ofHalves)];
  const noise = new Float32Array(a.length);
  for (let i = 0; i < noise.length; i++) noise[i] = (a[i] - b[i]) / 2;
  const [plus, minus] = [await treated("plus"), await treated("minus")];
  job.progress(0.6);
  const [halfA, halfB] = [await treated("a"), await treated("b")];
  const ofDisturbed = differenceOver(plus, minus, 2 * DISTURBED);
  const left = meanPlane(ofDisturbed);
  const leftTold = asTold(left, noise);
  const disturbedBy = (share: number) => before.map((v, i) => v + share * noise[i]);
  return {
    ...views,
    ...{ noise, halves: { a, b }, left },
    disturbed: {
      plus: asTold(meanPlane(plus), disturbedBy(DISTURBED)),
      minus: asTold(meanPlane(minus), disturbedBy(-DISTURBED)),
    },
    taken: difference(noise, leftTold),
    treatedHalves: { a: meanPlane(halfA), b: meanPlane(halfB) },
    remaining: { halves: halfDifference(halfA, halfB), disturbed: ofDisturbed, weight: disturbedWeight(steps) },
  };
}

/** A PSF is known to this, a blur that was fitted is alike to that. */
const [KNOWN_LEEWAY, FITTED_LEEWAY] = [0.02, 0.04];
/** How far the ratio of two PSFs goes where the narrower one carries hardly anything: P̄ over |P|² + this. */
const LEAST_POWER = 1e-5;

/** The blur that a chain takes away, less what it is shown by, and what share of the picture it leaves as it was, by place (null: nothing). From a share of `hidden` on, what was made of the rest is not told by the lane. */
interface KnownBlur {
  psf: Psf;
  spared: Float32Array | null;
  hidden: number;
}

/** What makes the lane as blurred as the stack, where the first step alone takes blur away, wholly, and says which; else null. */
async function knownBlur(
  { picture, fill }: ChainInput,
  steps: readonly ReadyStep[],
  area: Region,
  job: JobHandle,
  memo: ChainMemo,
): Promise<KnownBlur | null> {
  const taking = steps.filter(({ operation: { group } }) => group === "deconvolve" || group === "detail");
  if (taking.length !== 1 || taking[0] !== steps[0]) return null;
  const [{ operation, step, facts, mask }] = taking;
  const isWhole = step.blend === 1 && mask === null && step.channels !== "chrominance";
  const blur = isWhole ? operation.blur?.(step.params, facts[0]) : null;
  if (!blur || !operation.spared) return null;
  const psf = blur.target ? psfRatio(blur.target, blur.psf, LEAST_POWER) : blur.psf;
  const wide = intersectRegions(growRegion(area, chainHalo(taking)), wholeRegion(picture));
  // The same object that the step ran on, so that what it remembers of it is there.
  const given = await runFilled(picture, [], wide, fill, job, memo);
  const kept = relativeTo(wide, area);
  const maps: Float32Array[] = [];
  for (const [k, part] of splitForMode(given, step.channels).entries())
    maps.push(await operation.spared(part, step.params, facts[k], job, kept));
  const spared = meanPlane(cropRaster(rasterOf(wide.width, wide.height, maps), kept));
  return { psf, spared: spared.some((v) => v > 0) ? spared : null, hidden: HIDDEN[steps.length === 1 ? "alone" : "changed"] }; // prettier-ignore
}

/** What was made sharp is the lane less what was left, over the rest: to rounding where the step stands alone; what later steps change grows by one over the rest. */
const HIDDEN = { alone: 0.999, changed: 0.9 };

/** A plane of the lane as blurred as `given`: what was left as it was stays so, what was made sharp of the rest is blurred again. */
function toldAgain(
  plane: Float32Array,
  given: Float32Array,
  width: number,
  height: number,
  { psf, spared, hidden }: KnownBlur,
  job: JobHandle,
): Float32Array {
  if (!spared) return through(plane, width, height, psf, job);
  const sharp = plane.map((v, i) => (spared[i] < hidden ? (v - spared[i] * given[i]) / (1 - spared[i]) : 0));
  const seen = spared.map((s) => (s < hidden ? 1 - s : 0));
  const around = meanAround(sharp, seen, width, height, job.kernels);
  for (let i = 0; i < sharp.length; i++) if (seen[i] === 0) sharp[i] = around[i] === around[i] ? around[i] : given[i];
  // What was left as it was is the lane's own, with all that later steps did to it.
  return through(sharp, width, height, psf, job).map((v, i) =>
    spared[i] < hidden ? spared[i] * given[i] + (1 - spared[i]) * v : plane[i],
  );
}

/** A plane through a Gaussian of that FWHM, mirrored beyond its border. */
const blurred = (plane: Float32Array, width: number, height: number, fwhmPx: number, job: JobHandle) =>
  through(plane, width, height, gaussianPsf(fwhmPx), job);

/** A plane through a PSF, mirrored beyond its border. */
function through(plane: Float32Array, width: number, height: number, psf: Psf, job: JobHandle): Float32Array {
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

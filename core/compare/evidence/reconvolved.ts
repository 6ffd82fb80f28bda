import type { ChainInput, ChainMemo, ReadyStep } from "../../chain";
import { chainHalo, isStretched, runFilled, splitForMode } from "../../chain";
import type { JobHandle } from "../../job";
import type { Psf } from "../../kernels";
import { convolved, normalizedConvolution, psfRatio } from "../../measure";
import { solveSymmetric } from "../../numeric/leastSquares";
import { gaussianPsf, sharpens } from "../../operations";
import type { Region } from "../../raster";
import {
  cropRaster,
  growRegion,
  intersectRegions,
  meanPlane,
  quantile,
  rasterOf,
  relativeTo,
  robustSpread,
  wholeRegion,
} from "../../raster";
import { bands } from "./bands";

/** By which blur a lane that takes blur away is held against the stack; plain data. */
export interface LaneBlur {
  psf: Psf;
  /** Share of the light in a scale by which what was blurred so may differ from the stack. */
  tolerance: number;
  /** At most that share of the light in a scale is put down to the chain's own ways (bootstrapResidual.ts). */
  ownWays: number;
  /** What share of the picture the chain leaves as it was, by place; null: nothing. */
  untouchedShare: Float32Array | null;
  /** From this share on, what was made of the rest is not shown by the lane. */
  hidden: number;
}

/** A PSF is known better than a blur that is fitted. Rings of one that is too wide for the picture are no chain's own ways: a lane held by its own, wide PSF has none left, one held by a fitted blur keeps them. */
const [KNOWN, FITTED] = [
  { tolerance: 0.02, ownWays: 0.2 },
  { tolerance: 0.04, ownWays: 0.06 },
];
/** What was made sharp is the lane less what was left, over the rest: to rounding where the step stands alone; what later steps change grows by one over the rest. */
const HIDDEN = { alone: 0.999, changed: 0.9 };

/** Told from the lane `after` and the stack `before` over `area`; `memo` keeps what the lane was made of. Null for a lane that takes no blur away. */
export async function laneBlur(
  input: ChainInput,
  steps: readonly ReadyStep[],
  area: Region,
  { before, after }: { before: Float32Array; after: Float32Array },
  job: JobHandle,
  memo: ChainMemo,
): Promise<LaneBlur | null> {
  if (!steps.some(({ operation }) => sharpens(operation))) return null;
  const isLinear = !isStretched(steps.map(({ step }) => step));
  const known = isLinear ? await knownBlur(input, steps, area, job, memo) : null;
  return known ?? fittedBlur(after, before, area.width, area.height, job);
}

/** A plane of the lane as blurred as `given`, what the chain was given of it: what was left as it was stays so, what was made sharp of the rest is blurred again. */
export function reconvolved(
  plane: Float32Array,
  given: Float32Array,
  { width, height }: { width: number; height: number },
  blur: LaneBlur | null,
  job: JobHandle,
): Float32Array {
  if (!blur) return plane;
  const { psf, untouchedShare, hidden } = blur;
  if (!untouchedShare) return convolved(plane, width, height, psf, job.kernels);
  const sharp = plane.map((v, i) =>
    untouchedShare[i] < hidden ? (v - untouchedShare[i] * given[i]) / (1 - untouchedShare[i]) : 0,
  );
  const seen = untouchedShare.map((s) => (s < hidden ? 1 - s : 0));
  const around = normalizedConvolution(sharp, seen, width, height, job.kernels);
  for (let i = 0; i < sharp.length; i++) if (seen[i] === 0) sharp[i] = around[i] === around[i] ? around[i] : given[i];
  // What was left as it was is the lane's own, with all that later steps did to it.
  return convolved(sharp, width, height, psf, job.kernels).map((v, i) =>
    untouchedShare[i] < hidden ? untouchedShare[i] * given[i] + (1 - untouchedShare[i]) * v : plane[i],
  );
}

/** How far the ratio of two PSFs goes where the narrower one carries hardly anything: P̄ over |P|² + this. */
const LEAST_POWER = 1e-5;

/** What makes the lane as blurred as the stack, where the first step alone takes blur away, wholly, and says which; else null. */
async function knownBlur(
  { picture, fill }: ChainInput,
  steps: readonly ReadyStep[],
  area: Region,
  job: JobHandle,
  memo: ChainMemo,
): Promise<LaneBlur | null> {
  const taking = steps.filter(({ operation }) => sharpens(operation));
  if (taking.length !== 1 || taking[0] !== steps[0]) return null;
  const [{ operation, step, facts, mask }] = taking;
  const isWhole = step.blend === 1 && mask === null && step.channels !== "chrominance";
  const restoration = isWhole ? operation.can.restoration : undefined;
  const blur = restoration?.blur?.(step.params, facts[0]);
  if (!blur || !restoration?.untouchedShare) return null;
  const psf = blur.target ? psfRatio(blur.target, blur.psf, LEAST_POWER) : blur.psf;
  const wide = intersectRegions(growRegion(area, chainHalo(taking)), wholeRegion(picture));
  // The same object that the step ran on, so that what it remembers of it is there.
  const given = await runFilled(picture, [], wide, fill, job, memo);
  const kept = relativeTo(wide, area);
  const maps: Float32Array[] = [];
  for (const [k, part] of splitForMode(given, step.channels).entries())
    maps.push(await restoration.untouchedShare(part, step.params, facts[k], job, kept));
  const untouchedShare = meanPlane(cropRaster(rasterOf(wide.width, wide.height, maps), kept));
  const hidden = HIDDEN[steps.length === 1 ? "alone" : "changed"];
  return { psf, ...KNOWN, untouchedShare: untouchedShare.some((v) => v > 0) ? untouchedShare : null, hidden };
}

/** Gaussians, by FWHM in px, of which the blur is put together; 0 leaves the picture as it is. */
const PARTS = [0, 1, 1.5, 2.2, 3.3, 5, 7.5];
/** Share of a pixel's light that it may be off by beside its noise: so that bright stars do not decide alone. */
const OFF = 0.03;
/** Keeps the parts from fighting one another where the picture does not distinguish them. */
const RIDGE = 1e-4;

/**
 * The blur that makes a sharpened picture most alike the one before, put together of Gaussians: by least squares over all pixels, each over its noise and 3 % of its light. Null where leaving it as it is does as well.
 */
function fittedBlur(
  sharp: Float32Array,
  before: Float32Array,
  width: number,
  height: number,
  job: JobHandle,
): LaneBlur | null {
  const { sigma } = robustSpread(bands(before, width, height, job, 1)[0]);
  const sky = quantile(before, 0.2);
  const weight = before.map((v) => 1 / (sigma ** 2 + (OFF * Math.max(0, v - sky)) ** 2 + 1e-30));
  const parts = PARTS.map((fwhm) =>
    fwhm === 0 ? sharp : convolved(sharp, width, height, gaussianPsf(fwhm), job.kernels),
  );
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
  const psf = mixedPsf([1 - shares.reduce((sum, v) => sum + v, 0), ...shares]);
  return { psf, ...FITTED, untouchedShare: null, hidden: 1 };
}

/** A blur that explains less of the difference is none. */
const GAIN = 0.98;

/** One PSF of Gaussians by their shares. */
function mixedPsf(shares: readonly number[]): Psf {
  const parts = PARTS.map((fwhm) => (fwhm === 0 ? { size: 1, values: Float32Array.of(1) } : gaussianPsf(fwhm)));
  const size = Math.max(...parts.map((part) => part.size));
  const values = new Float32Array(size * size);
  parts.forEach((part, k) => {
    const margin = (size - part.size) / 2;
    for (let y = 0; y < part.size; y++)
      for (let x = 0; x < part.size; x++)
        values[(y + margin) * size + x + margin] += shares[k] * part.values[y * part.size + x];
  });
  return { size, values };
}

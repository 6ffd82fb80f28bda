import type { Kernels, Psf } from "../kernels";
import type { SubMeasures } from "../measure";
import { filterOf, moffatPsf, spectrumOf } from "../measure";
import { smoothstep } from "../numeric/smoothstep";
import { fillGaps, rasterOf, withGapsOf } from "../raster";
import type { Raster } from "../raster";
import type { Warp } from "../register";
import { describeWarp, matrixAt } from "../register";
import { axisRatio } from "./reference";

/** Side of the grid of frequencies, and half the side of the filter that finishes a stack. */
const [GRID, REACH] = [64, 9];
/** From this radius on, in px, the filter fades to nothing at its border: a sharp edge of it would stand round bright stars. */
const FADES_FROM = 5;
/** What stars hold less of than this tells no gain; frequencies of less have that of those that hold about so much. */
const KNOWN_TRANSFER = 0.005;
/** Noise is shared between pixels no farther apart, nearly. */
const LAGS = 8;
/** Frequencies at which subs are weighed, in cycles per px: for what the finest starlet scale holds, and for the rest. */
const [FINE, COARSE] = [19 / GRID, 2 / GRID];
/** Wings of stars where none were measured. */
const BETA = 3.5;
/** The filter raises nothing more, and divides by no less. */
const [MOST_GAIN, LEAST_TRANSFER] = [2, 1e-3];
/** A region that is made by scales is read so far beyond: one starlet smoothing and the filter. */
export const SCALES_HALO = 2 + REACH;

/** How subs weigh by scale, by channel. */
export interface Scales {
  /** Weight of each sub in the finest starlet scale. */
  fine: number[][];
  /** Weight of each sub in all that is coarser. */
  coarse: number[][];
  /** What gives the stars of the sum the shape of one Moffat; null where they have it. */
  finish: (Psf | null)[];
  /** FWHM of the stars that come of it, in px. */
  fwhmPx: number;
  /** White noise per pixel of what comes of it, over that of weights by noise alone, by channel. */
  noise: number[];
  /** How neighbours share it, by channel: autocorrelation at lags −8 … 8 along both axes, row-major. */
  correlation: number[][];
}

/** A sub by its stars, in px of the stack. */
export interface SubStars {
  /** The root of the product of both widths; null where it was not measured. */
  fwhmPx: number | null;
  /** Their wings; null where they were not measured. */
  beta: number | null;
  /** By how much of the long axis the short one is shorter, as far as all stars agree: 0 for round ones. */
  flattening: number;
  /** Direction of the long axis in radians, from x towards y. */
  angle: number;
}

/** The stars of a sub as they lie in the stack: what they have in common, in which the noise of single ones averages out. */
export function starsInStack(
  { measures, width, height }: { measures: SubMeasures; width: number; height: number },
  toReference: Warp,
): SubStars {
  const { fwhmPx, beta, eccentricity, elongationAngle, elongationAgreement } = measures;
  const middle: [number, number] = [width / 2, height / 2];
  const { scale } = describeWarp(toReference, ...middle);
  const [a, b, , d, e] = matrixAt(toReference, ...middle);
  const own = elongationAngle ?? 0;
  const [cos, sin] = [Math.cos(own), Math.sin(own)];
  return {
    fwhmPx: fwhmPx === null ? null : fwhmPx * scale,
    beta: beta ?? null,
    flattening: Math.min(MOST_FLAT, (1 - axisRatio(eccentricity)) * (elongationAgreement ?? 0)),
    angle: Math.atan2(d * cos + e * sin, a * cos + b * sin),
  };
}

/** Beyond it stars are no ellipses, but drawn out or double. */
const MOST_FLAT = 0.5;

/**
 * Weights that are best at each frequency: a sub's transfer over its variance (Zackay & Ofek 2017, ApJ 836, 187), taken
 * at one frequency for the finest starlet scale and at a low one for the rest, which keeps .997 of the signal-to-noise of
 * weights at every frequency up to .3 cycles per px for subs of 2.2 to 4 px. Stars whose core and wings come of different
 * subs are no Moffat any more: a filter, even and of 19 px, gives them the shape of one again, as narrow as leaves white noise
 * the σ per pixel that weights by noise alone have; and round, where stars of single subs are
 * drawn out. `variances`: of each sub's noise, scaled to the reference, by channel
 * [c][sub]; all above 0. Null for one sub alone, where no star's width is known, or all are round and alike to within `ALIKE`.
 */
export function scalesOf(stars: readonly SubStars[], variances: readonly (readonly number[])[]): Scales | null {
  const widths = stars.flatMap(({ fwhmPx }) => (fwhmPx === null ? [] : [fwhmPx]));
  if (widths.length === 0 || stars.length === 1) return null;
  const widest = Math.max(...widths);
  const areRound = stars.every(({ flattening }) => flattening < ALIKE);
  if (areRound && widest < (1 + ALIKE) * Math.min(...widths) && widths.length === stars.length) return null;
  const betas = stars.flatMap(({ beta }) => (beta === null ? [] : [beta])).sort((a, b) => a - b);
  const beta = Math.min(6, Math.max(2, betas[betas.length >> 1] ?? BETA));
  const transfers = stars.map(({ fwhmPx, ...star }) => transferOf({ ...star, fwhmPx: fwhmPx ?? widest, beta }));
  const at = (transfer: Float64Array, f: number) => Math.max(LEAST_TRANSFER, aroundAt(transfer, Math.round(f * GRID)));
  const weightsAt = (f: number) => variances.map((of) => of.map((variance, i) => at(transfers[i], f) / variance));
  const [fine, coarse] = [weightsAt(FINE), weightsAt(COARSE)];
  const mixes = variances.map((of, c) => mixOf(transfers, of, fine[c], coarse[c]));
  // One width for all channels: the least that none of them is noisier by.
  const fwhmPx = Math.max(...mixes.map((mix) => narrowest(mix, Math.min(...widths) / 2, widest, beta)));
  const wanted = roundTransfer(fwhmPx, beta);
  const finished = mixes.map((mix) => finishOf(mix, wanted));
  return {
    fine,
    coarse,
    finish: finished.map(({ filter }) => filter),
    fwhmPx,
    noise: mixes.map(({ least }, c) => Math.sqrt(powersOf(finished[c].noise).pixel / least)),
    correlation: finished.map(({ noise }) => correlationOf(noise)),
  };
}

/** Widths that differ by less are one. */
const ALIKE = 0.03;

/** What a Moffat, followed to the border of the grid, leaves of each of its frequencies, row by row from 0. */
function transferOf({ fwhmPx, beta, flattening, angle }: SubStars & { fwhmPx: number; beta: number }): Float64Array {
  const ratio = Math.sqrt(1 - flattening);
  const shape = { fwhmMajor: fwhmPx / ratio, fwhmMinor: fwhmPx * ratio, angle, beta };
  return spectrumOf(moffatPsf(shape, GRID / 2 - 1, 0), GRID).re;
}

const roundTransfer = (fwhmPx: number, beta: number): Float64Array =>
  transferOf({ fwhmPx, beta, flattening: 0, angle: 0 });

/** What a transfer leaves of a frequency on the average over its directions, as a geometric mean: the worst counts most. */
function aroundAt(transfer: Float64Array, radius: number): number {
  let logs = 0;
  for (let k = 0; k < DIRECTIONS; k++) {
    const [u, v] = [Math.cos, Math.sin].map((of) => Math.round(radius * of((Math.PI * k) / DIRECTIONS)));
    logs += Math.log(Math.max(LEAST_TRANSFER, transfer[((v + GRID) % GRID) * GRID + ((u + GRID) % GRID)]));
  }
  return Math.exp(logs / DIRECTIONS);
}
const DIRECTIONS = 16;

/** The share of a frequency that the rest after the finest starlet scale holds. */
const SMOOTH = Float64Array.from({ length: GRID * GRID }, (_, k) => {
  const [u, v] = [k % GRID, Math.floor(k / GRID)];
  return (Math.cos((Math.PI * u) / GRID) * Math.cos((Math.PI * v) / GRID)) ** 4;
});

/** What means over 8 px hold of a frequency: sinc², and all of it. */
const MEAN_PX = 8;
const WIDE = Float64Array.from({ length: GRID * GRID }, (_, k) => {
  const along = (u: number) => {
    const x = (Math.PI * (u < GRID / 2 ? u : u - GRID)) / GRID;
    return x === 0 ? 1 : (Math.sin(MEAN_PX * x) / (MEAN_PX * Math.sin(x))) ** 2;
  };
  return along(k % GRID) * along(Math.floor(k / GRID));
});
const ALL_WIDE = WIDE.reduce((a, b) => a + b, 0);
/** Narrower stars raise what is coarser with them: noise of such means at most so much. */
const MOST_WIDE = 1.02;

interface Mix {
  /** What the weighted sum leaves of each frequency. */
  transfer: Float64Array;
  /** Its noise there, as variance. */
  noise: Float64Array;
  /** The variance of noise that weights by noise alone have. */
  least: number;
}

function mixOf(
  transfers: readonly Float64Array[],
  variances: readonly number[],
  fine: readonly number[],
  coarse: readonly number[],
): Mix {
  const [allFine, allCoarse] = [fine, coarse].map((of) => of.reduce((a, b) => a + b, 0));
  const [transfer, noise] = [new Float64Array(GRID * GRID), new Float64Array(GRID * GRID)];
  for (const [i, own] of transfers.entries()) {
    const [f, c] = [fine[i] / allFine, coarse[i] / allCoarse];
    for (let k = 0; k < own.length; k++) {
      const share = f + SMOOTH[k] * (c - f);
      transfer[k] += share * own[k];
      noise[k] += share * share * variances[i];
    }
  }
  return { transfer, noise, least: 1 / variances.reduce((sum, variance) => sum + 1 / variance, 0) };
}

/** The filter that brings the stars of a mix to a transfer, and the noise that it leaves at each frequency, as variance. */
function finishOf({ transfer, noise }: Mix, wanted: Float64Array): { filter: Psf; noise: Float64Array } {
  const gains = transfer.map((v, k) => Math.min(MOST_GAIN, Math.max(0, wanted[k]) / Math.max(LEAST_TRANSFER, v)));
  // How surely a gain is known, and the gain of those that are half known for what is not.
  const known = transfer.map((v) => (v * v) / (v * v + KNOWN_TRANSFER ** 2));
  let [sum, weights] = [0, 0];
  known.forEach((share, k) => {
    sum += share * (1 - share) * gains[k];
    weights += share * (1 - share);
  });
  const beyond = weights > 0 ? sum / weights : 1;
  const re = gains.map((gain, k) => beyond + known[k] * (gain - beyond));
  const filter = faded(filterOf({ re, im: new Float64Array(re.length) }, GRID, REACH));
  const left = spectrumOf(filter, GRID).re;
  return { filter, noise: noise.map((power, k) => power * left[k] ** 2) };
}

/** A filter that fades to nothing at its border, sum 1. */
function faded({ size, values }: Psf): Psf {
  const out = values.map((v, k) => {
    const radius = Math.hypot((k % size) - REACH, Math.floor(k / size) - REACH);
    return v * (1 - smoothstep(radius, FADES_FROM, REACH + 0.5));
  });
  const sum = out.reduce((total, v) => total + v, 0);
  return { size, values: out.map((v) => v / sum) };
}

/** Variance of noise of a pixel, and of means over 8 px as that of a pixel of white noise; `noise`: as variance, by frequency. */
function powersOf(noise: Float64Array): { pixel: number; wide: number } {
  let [pixel, wide] = [0, 0];
  for (let k = 0; k < noise.length; k++) {
    pixel += noise[k] / noise.length;
    wide += (noise[k] * WIDE[k]) / ALL_WIDE;
  }
  return { pixel, wide };
}

/** Autocorrelation of noise to lags of 8 px; `noise`: as variance, by frequency. */
function correlationOf(noise: Float64Array): number[] {
  const { values, size } = filterOf({ re: noise.slice(), im: new Float64Array(noise.length) }, GRID, LAGS);
  const middle = values[(size * size - 1) / 2];
  return Array.from(values, (v) => v / middle);
}

/** The least width of stars to which a mix can be brought without more noise than the least, to .005 px. */
function narrowest(mix: Mix, from: number, to: number, beta: number): number {
  let [low, high] = [from, to];
  while (high - low > 0.005) {
    const middle = (low + high) / 2;
    const { pixel, wide } = powersOf(finishOf(mix, roundTransfer(middle, beta)).noise);
    if (pixel > mix.least || wide > MOST_WIDE ** 2 * mix.least) low = middle;
    else high = middle;
  }
  return high;
}

/** A filter that reaches so nearly all of itself reaches no gap. */
const WHOLE = 1e-4;

/**
 * One picture of two weightings of the same subs: the finest starlet scale of `fine`, the rest of `coarse`, finished. Both
 * rasters of the same size, NaN where no sub has data; what lies next to such a gap is finished by what there is.
 * `sky`: level that stands in gaps, by channel. Pixels nearer than SCALES_HALO to a border that is not the picture's
 * depend on what lies beyond.
 */
export function mergeScales(
  coarse: Raster,
  fine: Raster,
  finish: readonly (Psf | null)[],
  sky: readonly number[],
  kernels: Kernels,
): Raster {
  const { width, height } = coarse;
  const [c, f] = [fillGaps(coarse, sky), fillGaps(fine, sky)];
  const planes = c.planes.map((plane, k) => {
    const detail = f.planes[k].map((v, i) => v - plane[i]);
    const smooth = kernels.starletSmooth(detail, width, height, 0);
    const sum = plane.map((v, i) => v - sky[k] + (detail[i] - smooth[i]));
    const filter = finish[k];
    if (!filter || Math.min(width, height) <= REACH) return sum.map((v) => v + sky[k]);
    const finished = kernels.filterSmall(sum, width, height, filter);
    if (c === coarse) return finished.map((v) => v + sky[k]);
    // Beside gaps, which hold nothing, the filter counts as much as it reaches of data.
    const known = coarse.planes[k].map((v) => (v === v ? 1 : 0));
    const reached = kernels.filterSmall(known, width, height, filter);
    return finished.map((v, i) => (Math.abs(reached[i] - 1) < WHOLE ? v : v / Math.max(0.5, reached[i])) + sky[k]);
  });
  return withGapsOf(rasterOf(width, height, planes), coarse);
}

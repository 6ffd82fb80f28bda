import * as z from "zod";
import type { Kernels } from "../kernels";
import { solveSymmetric } from "../numeric/leastSquares";
import { tabulated } from "../numeric/tabulated";
import { robustSpread } from "../raster";

/**
 * Variance of the noise at a height L above `zero`: a + b L + c L² (L ≥ 0; a below). Where noise
 * falls with the light, as after a stretch, `falling` shows σ at rising levels
 * instead (linear between them and constant beyond), and a is its square at the first.
 */
export const noiseModelSchema = z.object({
  zero: z.number(),
  a: z.number().min(0),
  b: z.number().min(0),
  c: z.number().min(0),
  falling: z
    .object({ level: z.array(z.number()).min(2), sigma: z.array(z.number().positive()).min(2) })
    .nullable()
    .default(null),
});
export type NoiseModel = z.infer<typeof noiseModelSchema>;

/** The level that a pixel's surroundings tell (σ 1.4 px), against which its noise is held. */
export function surroundings(plane: Float32Array, width: number, height: number, kernels: Kernels): Float32Array {
  return kernels.starletSmooth(kernels.starletSmooth(plane, width, height, 0), width, height, 0);
}

/** Bins of equal numbers up to a quantile of .98, then fewer and fewer of the brightest. */
const BINS = 32;
const QUANTILES = [...Array.from({ length: BINS + 1 }, (_, k) => (0.98 * k) / BINS), 0.99, 0.995, 0.998, 1];
const LEAST_IN_BIN = 24;
/** Below this quantile of the levels there is no light: the dark end. */
const ZERO_QUANTILE = 0.01;
/** Share of the middle one of all bins' variances below which a bin says nothing. */
const LEAST_VARIANCE = 0.02;
/** The same where noise falls with the light: that of bright stars after a stretch is a hundredth of the sky's. */
const LEAST_FALLING = 1e-5;
/** Noise falls with the light where the variance in the brightest third of the bins is below this share of that in the darkest. */
const FALLS = 0.6;
/** More samples in a bin do not make it surer: what is left over is not noise. */
const MOST_WEIGHT = 3000;

/**
 * Noise against signal, by non-negative least squares over bins of the level: in each the robust variance of `noise` (1.4826 MAD, squared), rows weighted by
 * √n/variance; or, where it falls with the light, σ bin by bin. `withSquare`: whether a part that grows with the signal itself is allowed (seeing and transparency differ between halves). A model of no noise for
 * arrays without any. Source: photon transfer, Janesick 2001, 2.2; own in its bins.
 */
export function fitNoiseModel(level: Float32Array, noise: Float32Array, withSquare = true): NoiseModel {
  const sorted = level.slice().sort();
  const n = sorted.length;
  const zero = n > 0 ? sorted[Math.floor(ZERO_QUANTILE * (n - 1))] : 0;
  const bins = binned(level, noise, sorted);
  const rows: { height: number; variance: number; weight: number }[] = [];
  for (let k = 0; k + 1 < QUANTILES.length; k++) {
    const part = bins[k];
    if (part.length < LEAST_IN_BIN) continue;
    const middle = sorted[(Math.floor(QUANTILES[k] * n) + Math.floor(QUANTILES[k + 1] * n)) >> 1];
    const { sigma } = robustSpread(part);
    const variance = sigma * sigma;
    if (!(variance > 0)) continue;
    const height = Math.max(0, middle - zero);
    rows.push({ height, variance, weight: Math.min(part.length, MOST_WEIGHT) / variance ** 2 });
  }
  if (rows.length === 0) return { zero, a: 0, b: 0, c: 0, falling: null };
  // A level of hardly any noise is a clipped or a filled one, and would outweigh all others.
  const variances = rows.map(({ variance }) => variance).sort((p, q) => p - q);
  const usual = variances[variances.length >> 1];
  const falling = fallingOf(
    rows.filter(({ variance }) => variance >= LEAST_FALLING * usual),
    zero,
  );
  if (falling) return { zero, a: falling.sigma[0] ** 2, b: 0, c: 0, falling };
  const least = LEAST_VARIANCE * usual;
  const told = rows.filter(({ variance }) => variance >= least);
  let best = { cost: Infinity, found: [0, 0, 0] };
  // Three unknowns: every choice of which of them are not zero is tried.
  for (const terms of withSquare ? [[0], [0, 1], [0, 2], [0, 1, 2]] : [[0], [0, 1]]) {
    const found = solve(told, terms);
    if (!found || found.some((v) => v < 0) || !(found[0] > 0)) continue;
    const cost = told.reduce((sum, { height, variance, weight }) => {
      const modelled = found[0] + found[1] * height + found[2] * height * height;
      return sum + weight * (modelled - variance) ** 2;
    }, 0);
    if (cost < best.cost) best = { cost, found };
  }
  const [a, b, c] = best.found;
  return { zero, a, b, c, falling: null };
}

/** σ at rising levels, each the mean of three bins' variances; null where noise does not fall with the light. */
function fallingOf(rows: readonly { height: number; variance: number }[], zero: number): NoiseModel["falling"] {
  const third = Math.floor(rows.length / 3);
  if (third < 2) return null;
  const mean = (part: typeof rows) => part.reduce((sum, { variance }) => sum + variance / part.length, 0);
  if (mean(rows.slice(-third)) > FALLS * mean(rows.slice(0, third))) return null;
  const smooth = rows.map(({ height }, k) => ({
    level: zero + height,
    sigma: Math.sqrt(mean(rows.slice(Math.max(0, k - 1), k + 2))),
  }));
  const rising = smooth.filter(({ level }, k) => k === 0 || level > smooth[k - 1].level);
  if (rising.length < 2) return null;
  return { level: rising.map(({ level }) => level), sigma: rising.map(({ sigma }) => sigma) };
}

/** The model of noise that is `times` as strong. */
export function strongerNoise({ zero, a, b, c, falling }: NoiseModel, times: number): NoiseModel {
  const [a2, b2, c2] = [a, b, c].map((v) => times ** 2 * v);
  return { zero, a: a2, b: b2, c: c2, falling: falling && { ...falling, sigma: falling.sigma.map((v) => times * v) } };
}

/** The noise where levels lie between two quantiles, for each pair of them; levels that are equal fall into one bin. */
function binned(level: Float32Array, noise: Float32Array, sorted: Float32Array): Float32Array[] {
  const count = QUANTILES.length - 1;
  const edges = Float64Array.from(QUANTILES.slice(1, -1), (q) => sorted[Math.floor(q * sorted.length)]);
  const of = new Uint8Array(level.length);
  const sizes = new Uint32Array(count);
  for (let i = 0; i < level.length; i++) {
    let [low, high] = [0, count - 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (level[i] >= edges[middle]) low = middle + 1;
      else high = middle;
    }
    of[i] = low;
    sizes[low]++;
  }
  const bins = Array.from(sizes, (size) => new Float32Array(size));
  sizes.fill(0);
  for (let i = 0; i < level.length; i++) bins[of[i]][sizes[of[i]]++] = noise[i];
  return bins;
}

function solve(rows: { height: number; variance: number; weight: number }[], terms: number[]): number[] | null {
  const most = Math.max(...rows.map(({ height }) => height)) || 1;
  const size = terms.length;
  const normal = new Float64Array(size * size);
  const right = new Float64Array(size);
  for (const { height, variance, weight } of rows) {
    const powers = terms.map((term) => (height / most) ** term);
    for (let i = 0; i < size; i++) {
      right[i] += weight * powers[i] * variance;
      for (let j = 0; j < size; j++) normal[i * size + j] += weight * powers[i] * powers[j];
    }
  }
  const solved = solveSymmetric(normal, right);
  if (!solved) return null;
  const found = [0, 0, 0];
  terms.forEach((term, k) => (found[term] = solved[k] / most ** term));
  return found;
}

interface Stabiliser {
  forward(plane: Float32Array): Float32Array;
  back(plane: Float32Array): Float32Array;
}

/** ∫ dL/σ(L) from the first level on, σ linear between levels and constant beyond: logarithms piece by piece, and its exact inverse. */
function alongCurve({ level, sigma }: NonNullable<NoiseModel["falling"]>): Stabiliser {
  const last = level.length - 1;
  const slope = level.slice(1).map((v, k) => (sigma[k + 1] - sigma[k]) / (v - level[k]));
  // Where σ hardly changes over a piece its logarithm would be lost in rounding.
  const isFlat = slope.map((m, k) => Math.abs(m) * (level[k + 1] - level[k]) < 1e-6 * sigma[k]);
  const over = (k: number, d: number) => (isFlat[k] ? d / sigma[k] : Math.log1p((slope[k] * d) / sigma[k]) / slope[k]);
  const under = (k: number, z: number) => (isFlat[k] ? z * sigma[k] : (sigma[k] * Math.expm1(slope[k] * z)) / slope[k]);
  const value = [0];
  for (let k = 0; k < last; k++) value.push(value[k] + over(k, level[k + 1] - level[k]));
  const along = (from: readonly number[], x: number): number => {
    let [low, high] = [0, last];
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if (from[middle] <= x) low = middle;
      else high = middle;
    }
    return low;
  };
  const up = (v: number): number => {
    if (!(v > level[0])) return (v - level[0]) / sigma[0];
    if (v >= level[last]) return value[last] + (v - level[last]) / sigma[last];
    const k = along(level, v);
    return value[k] + over(k, v - level[k]);
  };
  const down = (z: number): number => {
    if (!(z > 0)) return level[0] + z * sigma[0];
    if (z >= value[last]) return level[last] + (z - value[last]) * sigma[last];
    const k = along(value, z);
    return level[k] + under(k, z - value[k]);
  };
  return { forward: (plane) => plane.map(up), back: (plane) => plane.map(down) };
}

/** The part of the noise that grows with the signal is left out where it is less than this share of all at the brightest that is looked at. */
const NEGLIGIBLE = 1e-9;
const STRAIGHT = 4e-7;

/**
 * The transform after which noise of a model has σ 1 at every level, and its exact inverse: z(L) = ∫ dL/√(a + b L + c L²) from 0, going on below 0 with the slope
 * that it has there. L is a level less `zero`. Null for a model of no noise. Both by tables (tabulated.ts), right to
 * single precision. Source: generalised Anscombe's, without its ⅜; integral by hand.
 */
export function stabiliser({ zero, a, b, c, falling }: NoiseModel): Stabiliser | null {
  if (!(a > 0)) return null;
  if (falling) return alongCurve(falling);
  const root = Math.sqrt(a);
  const hasSquare = c > NEGLIGIBLE * (a + b + c);
  const rootC = Math.sqrt(c);
  const start = Math.log(2 * rootC * root + b);
  const sigma = (light: number) => Math.sqrt(a + b * light + c * light * light);
  const up = (light: number) =>
    hasSquare
      ? (Math.log(2 * rootC * sigma(light) + 2 * c * light + b) - start) / rootC
      : (2 * (sigma(light) - root)) / b;
  const down = (value: number) => {
    if (!hasSquare) return ((value * b) / 2 + root) ** 2 / b - a / b;
    const e = Math.exp(rootC * value + start);
    return ((e - b) ** 2 - 4 * a * c) / (4 * c * e);
  };
  if (!hasSquare && !(b > 0))
    return {
      forward: (plane) => plane.map((v) => (v - zero) / root),
      back: (plane) => plane.map((v) => zero + v * root),
    };
  // Up to here the variance grows by less than STRAIGHT of itself, so that the transform is a line.
  const least = (2 * STRAIGHT * a) / (b + Math.sqrt(b * b + 4 * c * STRAIGHT * a));
  const forward = tabulated({ value: up, slope: (light) => 1 / sigma(light), least, lowSlope: 1 / root });
  const back = tabulated({ value: down, slope: (z) => sigma(down(z)), least: least / root, lowSlope: root });
  return { forward: (plane) => forward(plane, zero, 0), back: (plane) => back(plane, 0, zero) };
}

/** The noise at each level of a model. */
export function sigmaAt({ zero, a, b, c, falling }: NoiseModel, level: number): number {
  if (falling) return curveAt(falling, level);
  const light = Math.max(0, level - zero);
  return Math.sqrt(a + b * light + c * light * light);
}

function curveAt({ level, sigma }: NonNullable<NoiseModel["falling"]>, at: number): number {
  const after = level.findIndex((v) => v > at);
  if (after < 0) return sigma[sigma.length - 1];
  if (after === 0) return sigma[0];
  const share = (at - level[after - 1]) / (level[after] - level[after - 1]);
  return sigma[after - 1] + share * (sigma[after] - sigma[after - 1]);
}

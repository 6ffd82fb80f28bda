import type { Raster, Region } from "../raster";
import { createRaster, growRegion, intersectRegions, wholeRegion } from "../raster";
import type { Warp } from "./warp";
import { inverse, isLinear, mapPoint, mapRow } from "./warp";

export type ResamplingKernel = "lanczos3" | "bicubic";

/** Interpolation weights are tabulated at this many positions between two pixels (an error below 1.3e-4 px). */
const PHASES = 4096;

interface WeightTable {
  /** Samples that a value is made of, along one axis. */
  taps: number;
  weights: Float32Array;
}

/** Lanczos 3: sinc(x) sinc(x/3). Source: Duchon 1979, J. Appl. Met. 18, 1016. Weights are normalised to sum 1. */
function lanczos3(x: number): number {
  const a = Math.abs(x);
  if (a < 1e-9) return 1;
  if (a >= 3) return 0;
  const p = Math.PI * a;
  return (3 * Math.sin(p) * Math.sin(p / 3)) / (p * p);
}

/** Cubic convolution with a = −1/2. Source: Keys 1981, IEEE ASSP 29, 1153. */
function keys(x: number): number {
  const a = Math.abs(x);
  if (a < 1) return (1.5 * a - 2.5) * a * a + 1;
  return a < 2 ? ((-0.5 * a + 2.5) * a - 4) * a + 2 : 0;
}

function weightTable(kernel: ResamplingKernel): WeightTable {
  const taps = kernel === "lanczos3" ? 6 : 4;
  const shape = kernel === "lanczos3" ? lanczos3 : keys;
  const weights = new Float32Array((PHASES + 1) * taps);
  for (let phase = 0; phase <= PHASES; phase++) {
    const row = Array.from({ length: taps }, (_, k) => shape(k - taps / 2 + 1 - phase / PHASES));
    const sum = row.reduce((a, b) => a + b, 0);
    row.forEach((w, k) => (weights[phase * taps + k] = w / sum));
  }
  return { taps, weights };
}

/**
 * How much resampling lowers the noise per pixel: √ of the mean over a grid of 24 × 24 places of Σ w_i w_j ρ(i − j), ρ being the
 * autocorrelation of the noise at lags −reach … reach along both axes (row-major; white noise if it is not given). The noise is not gone
 * but shared between neighbours. 1 for a whole-pixel move. Source: derivation, variance of a weighted sum.
 */
export function resamplingNoiseGain(
  toReference: Warp,
  size: { width: number; height: number },
  kernel: ResamplingKernel,
  correlation: readonly number[] = [1],
): number {
  const { taps, weights } = weightTable(kernel);
  const back = inverse(toReference);
  const side = Math.round(Math.sqrt(correlation.length));
  const reach = (side - 1) / 2;
  /** Autocorrelation of the weights at a phase, lags 0 … reach. */
  const lags = (phase: number): number[] => {
    const from = Math.round(phase * PHASES) * taps;
    return Array.from({ length: reach + 1 }, (_, lag) => {
      let sum = 0;
      for (let k = 0; k + lag < taps; k++) sum += weights[from + k] * weights[from + k + lag];
      return sum;
    });
  };
  const variance = (x: number[], y: number[]): number => {
    let sum = 0;
    for (let dy = -reach; dy <= reach; dy++)
      for (let dx = -reach; dx <= reach; dx++)
        sum += x[Math.abs(dx)] * y[Math.abs(dy)] * correlation[(dy + reach) * side + dx + reach];
    return sum;
  };
  let total = 0;
  for (let j = 0; j < 24; j++)
    for (let i = 0; i < 24; i++) {
      const at = [Math.round(((i + 0.5) * size.width) / 24), Math.round(((j + 0.5) * size.height) / 24)];
      const [x, y] = mapPoint(back, at[0], at[1]);
      total += variance(lags(x - Math.floor(x)), lags(y - Math.floor(y)));
    }
  return Math.sqrt(total / 576);
}

/** Pixels of surroundings that a resampled pixel looks at. */
export const RESAMPLING_REACH = 4;

/** The part of a picture that is needed to resample `output` (a region of reference pixels). May be empty. */
export function sourceRegion(output: Region, toReference: Warp, size: { width: number; height: number }): Region {
  const back = inverse(toReference);
  const right = output.x + output.width - 1;
  const bottom = output.y + output.height - 1;
  // A line stays a line under a linear warp; elsewhere the border is followed, and a margin taken for what bulges between.
  const parts = isLinear(back) ? 1 : 16;
  const margin = isLinear(back) ? 0 : 2;
  const border = Array.from({ length: parts + 1 }, (_, k) => k / parts).flatMap((t) => [
    mapPoint(back, output.x + t * (output.width - 1), output.y),
    mapPoint(back, output.x + t * (output.width - 1), bottom),
    mapPoint(back, output.x, output.y + t * (output.height - 1)),
    mapPoint(back, right, output.y + t * (output.height - 1)),
  ]);
  const corners = border.filter(([x, y]) => Number.isFinite(x + y));
  if (corners.length === 0) return { x: 0, y: 0, width: 0, height: 0 };
  const x0 = Math.floor(Math.min(...corners.map((c) => c[0])));
  const y0 = Math.floor(Math.min(...corners.map((c) => c[1])));
  const x1 = Math.ceil(Math.max(...corners.map((c) => c[0])));
  const y1 = Math.ceil(Math.max(...corners.map((c) => c[1])));
  const box = growRegion({ x: x0, y: y0, width: x1 - x0 + 1, height: y1 - y0 + 1 }, RESAMPLING_REACH + margin);
  return intersectRegions(box, wholeRegion(size));
}

/**
 * Pixels `output` of the picture that `toReference` makes of a source, of which `source` holds the part that begins at
 * (originX, originY). Where the kernel's centre lies outside the source, or any sample under it is NaN, the value is NaN;
 * samples beyond the border repeat the border pixel. A value below the least of the 4 × 4 nearest samples is raised to it:
 * undershoot around stars, which the sky does not have. O(36) a pixel and channel for Lanczos 3.
 */
export function resample(
  source: Raster,
  originX: number,
  originY: number,
  toReference: Warp,
  output: Region,
  kernel: ResamplingKernel,
): Raster {
  const { taps, weights } = weightTable(kernel);
  const out = createRaster(output.width, output.height, source.channels);
  const back = inverse(toReference);
  const xs = new Float64Array(output.width);
  const ys = new Float64Array(output.width);
  const { width, height } = source;
  const before = taps / 2 - 1;
  const interpolate = taps === 6 ? interpolate6 : interpolate4;
  for (let row = 0; row < output.height; row++) {
    mapRow(back, output.x, output.y + row, output.width, xs, ys);
    for (let column = 0; column < output.width; column++) {
      const x = xs[column] - originX;
      const y = ys[column] - originY;
      const i = row * output.width + column;
      if (!(x >= -0.5 && y >= -0.5 && x <= width - 0.5 && y <= height - 0.5)) {
        for (let channel = 0; channel < source.channels; channel++) out.planes[channel][i] = NaN;
        continue;
      }
      const ix = Math.floor(x);
      const iy = Math.floor(y);
      const wx = Math.round((x - ix) * PHASES) * taps;
      const wy = Math.round((y - iy) * PHASES) * taps;
      const left = ix - before;
      const top = iy - before;
      const inside = left >= 0 && top >= 0 && left + taps <= width && top + taps <= height;
      for (let channel = 0; channel < source.channels; channel++) {
        const plane = source.planes[channel];
        out.planes[channel][i] = inside
          ? interpolate(plane, top * width + left, width, weights, wx, wy)
          : interpolateAtBorder(plane, width, height, left, top, taps, weights, wx, wy);
      }
    }
  }
  return out;
}

/** 6 × 6 samples from `at` on, raised to the least of the inner 4 × 4; all inside the picture. */
function interpolate6(p: Float32Array, at: number, width: number, w: Float32Array, wx: number, wy: number): number {
  const w0 = w[wx];
  const w1 = w[wx + 1];
  const w2 = w[wx + 2];
  const w3 = w[wx + 3];
  const w4 = w[wx + 4];
  const w5 = w[wx + 5];
  let value = 0;
  let least = Infinity;
  for (let j = 0; j < 6; j++) {
    const b = p[at + 1];
    const c = p[at + 2];
    const d = p[at + 3];
    const e = p[at + 4];
    value += (p[at] * w0 + b * w1 + c * w2 + d * w3 + e * w4 + p[at + 5] * w5) * w[wy + j];
    if (j > 0 && j < 5) {
      if (b < least) least = b;
      if (c < least) least = c;
      if (d < least) least = d;
      if (e < least) least = e;
    }
    at += width;
  }
  return value < least ? least : value;
}

/** 4 × 4 samples from `at` on, raised to the least of them; all inside the picture. */
function interpolate4(p: Float32Array, at: number, width: number, w: Float32Array, wx: number, wy: number): number {
  const w0 = w[wx];
  const w1 = w[wx + 1];
  const w2 = w[wx + 2];
  const w3 = w[wx + 3];
  let value = 0;
  let least = Infinity;
  for (let j = 0; j < 4; j++) {
    const a = p[at];
    const b = p[at + 1];
    const c = p[at + 2];
    const d = p[at + 3];
    value += (a * w0 + b * w1 + c * w2 + d * w3) * w[wy + j];
    if (a < least) least = a;
    if (b < least) least = b;
    if (c < least) least = c;
    if (d < least) least = d;
    at += width;
  }
  return value < least ? least : value;
}

/** The same where some samples lie beyond the border and repeat the border pixel. */
function interpolateAtBorder(
  plane: Float32Array,
  width: number,
  height: number,
  left: number,
  top: number,
  taps: number,
  weights: Float32Array,
  wx: number,
  wy: number,
): number {
  let value = 0;
  let least = Infinity;
  const inner = taps / 2 - 2;
  for (let j = 0; j < taps; j++) {
    const line = Math.min(height - 1, Math.max(0, top + j)) * width;
    for (let k = 0; k < taps; k++) {
      const sample = plane[line + Math.min(width - 1, Math.max(0, left + k))];
      value += sample * weights[wx + k] * weights[wy + j];
      const near = j >= inner && j < inner + 4 && k >= inner && k < inner + 4;
      if (near && sample < least) least = sample;
    }
  }
  return value < least ? least : value;
}

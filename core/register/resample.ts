import type { GridPlaces, Kernels, Levels, WeightTable } from "../kernels";
import { blocksOf } from "../kernels";
import type { CreateRaster, Raster, Region } from "../raster";
import { createRaster, growRegion, intersectRegions, wholeRegion } from "../raster";
import type { Mesh } from "./mesh";
import { meshPlaces, meshSource } from "./mesh";
import { RESAMPLING_REACH } from "./reach";
import type { Warp } from "./warp";
import { inverse, isLinear, mapPoint, matrixAt } from "./warp";

/** Interpolation kernels: samples along an axis, and their shape over the distance in px. */
const SHAPES = {
  nearest: { taps: 2, shape: (x: number) => (x > -0.5 && x <= 0.5 ? 1 : 0) },
  bilinear: { taps: 2, shape: (x: number) => Math.max(0, 1 - Math.abs(x)) },
  bicubic: { taps: 4, shape: keys },
  lanczos3: { taps: 6, shape: (x: number) => lanczos(x, 3) },
  lanczos4: { taps: 8, shape: (x: number) => lanczos(x, 4) },
} as const;
export type ResamplingKernel = keyof typeof SHAPES;

/** Interpolation weights are tabulated at this many positions between two pixels (an error below 1.3e-4 px). */
const PHASES = 4096;

/** Lanczos: sinc(x) sinc(x/n), n lobes. Source: Duchon 1979, J. Appl. Met. 18, 1016. Weights are normalised to sum 1. */
function lanczos(x: number, n: number): number {
  const a = Math.abs(x);
  if (a < 1e-9) return 1;
  if (a >= n) return 0;
  const p = Math.PI * a;
  return (n * Math.sin(p) * Math.sin(p / n)) / (p * p);
}

/** Cubic convolution with a = −1/2. Source: Keys 1981, IEEE ASSP 29, 1153. */
function keys(x: number): number {
  const a = Math.abs(x);
  if (a < 1) return (1.5 * a - 2.5) * a * a + 1;
  return a < 2 ? ((-0.5 * a + 2.5) * a - 4) * a + 2 : 0;
}

/** Samples along an axis that a kernel takes. */
export const tapsOf = (kernel: ResamplingKernel): WeightTable["taps"] => SHAPES[kernel].taps;

/** Weights of the samples at a place between two pixels, 0 … 1 from the left one; their sum is 1. */
export function weightsAt(kernel: ResamplingKernel, phase: number): number[] {
  const { taps, shape } = SHAPES[kernel];
  const row = Array.from({ length: taps }, (_, k) => shape(k - taps / 2 + 1 - phase));
  const sum = row.reduce((a, b) => a + b, 0);
  return row.map((w) => w / sum);
}

/** The weights of a kernel, tabulated. */
function weightTable(kernel: ResamplingKernel): WeightTable {
  const rows = Array.from({ length: PHASES + 1 }, (_, k) => k / PHASES);
  const step = 0.5 / PHASES;
  const slopesAt = (phase: number): number[] => {
    const [before, after] = [weightsAt(kernel, phase - step), weightsAt(kernel, phase + step)];
    return after.map((w, k) => (w - before[k]) / (2 * step));
  };
  const weights = Float32Array.from(rows.flatMap((phase) => weightsAt(kernel, phase)));
  return { taps: tapsOf(kernel), phases: PHASES, weights, slopes: Float32Array.from(rows.flatMap(slopesAt)) };
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
  const taps = tapsOf(kernel);
  const back = inverse(toReference);
  const side = Math.round(Math.sqrt(correlation.length));
  const reach = (side - 1) / 2;
  /** Autocorrelation of the weights at a phase, lags 0 … reach. */
  const lags = (phase: number): number[] => {
    const weights = weightsAt(kernel, phase);
    return Array.from({ length: reach + 1 }, (_, lag) => {
      let sum = 0;
      for (let k = 0; k + lag < taps; k++) sum += weights[k] * weights[k + lag];
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

/** Where a picture's pixels come to lie: a warp to the grid that is made, or a mesh from that grid. */
export type Placement = Warp | Mesh;

/** The part of a picture that is needed to resample `output` (a region of the grid that is made). May be empty. */
export function sourceRegion(output: Region, placement: Placement, size: { width: number; height: number }): Region {
  if (placement.kind === "mesh") return meshSource(output, placement, size);
  const back = inverse(placement);
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

/** How a picture is resampled. */
export interface Resampling {
  kernel: ResamplingKernel;
  kernels: Kernels;
  /** What values are brought to, one a channel. @default as they are */
  levels?: readonly Levels[];
  /** Makes the raster of the result. @default a new one */
  create?: CreateRaster;
}

/** Values as they come. */
const AS_THEY_ARE: Levels = { scale: 1, level: 0, dx: 0, dy: 0 };

/**
 * Pixels `output` of the picture that `placement` makes of a source, of which `source` holds the part that begins at
 * `from`. Where the kernel's centre lies outside the source, or any sample under it is NaN, the value is NaN;
 * samples beyond the border repeat the border pixel. A value below the least of the 4 × 4 nearest samples is raised to it:
 * undershoot around stars, which the sky does not have. Values are then brought to `levels`, one a channel: value · scale + level + dx x + dy y,
 * (x, y) being pixels of the picture that is made. A mesh is followed at each pixel. A warp that is not linear is taken as linear within blocks of 32 px (for a lens that bends 5 px over
 * 3,000 an error below 0.0005 px). O(36) a pixel and channel for Lanczos 3, O(12) where the pixels nearly agree. `kernels` do the work.
 */
export function resample(
  source: Raster,
  from: { x: number; y: number },
  placement: Placement,
  output: Region,
  { kernel, kernels, levels = source.planes.map(() => AS_THEY_ARE), create = createRaster }: Resampling,
): Raster {
  const { x, y, width, height } = output;
  const out = create(width, height, source.channels);
  if (source.width * source.height === 0) {
    for (const plane of out.planes) plane.fill(NaN);
    return out;
  }
  const fromFirst = levels.map(({ scale, level, dx, dy }) => ({ scale, level: level + dx * x + dy * y, dx, dy }));
  const { planes, width: columns, height: rows } = source;
  const table = kernels.memory.remember(SHAPES[kernel], "weights", () => weightTable(kernel));
  if (placement.kind === "mesh") {
    const places = meshPlaces(placement, from.x, from.y, output);
    kernels.resampleMesh(planes, columns, rows, table, places, fromFirst, out.planes);
  } else {
    const places = placesOf(inverse(placement), from.x, from.y, output);
    kernels.resample(planes, columns, rows, table, places, fromFirst, out.planes);
  }
  return out;
}

/** Side of the blocks within which any warp is taken as linear. */
const BLOCK = 32;

/** Where `warp` takes the pixels of a region, as counted from (originX, originY); linear within blocks where it is not. */
export function placesOf(warp: Warp, originX: number, originY: number, { x, y, width, height }: Region): GridPlaces {
  const grid = { x, y, columns: width, rows: height, block: isLinear(warp) ? 0 : BLOCK };
  const matrices = new Float64Array(6 * blocksOf(grid).length);
  blocksOf(grid).forEach((block, k) => {
    // About the middle of the whole block, so that every part of it is placed alike.
    const middle = (first: number) => Math.floor(first / BLOCK) * BLOCK + (BLOCK - 1) / 2;
    const [a, b, c, d, e, f] = matrixAt(warp, middle(x + block.i), middle(y + block.j));
    matrices.set([a, b, a * x + b * y + c - originX, d, e, d * x + e * y + f - originY], 6 * k);
  });
  return { ...grid, matrices };
}

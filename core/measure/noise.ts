import type { Kernels } from "../kernels";
import { SIGMA_PER_MAD, medianInPlace, tilesOf, difference } from "../raster";

/**
 * Standard deviation of the starlet coefficients of unit white noise at scales 1 … 8, two dimensions, B3 spline.
 * Computed exactly from the filter taps: σ_j = √Σ h_j², h_j the impulse response at scale j (see noise.test.ts, which
 * computes them again); the first values are printed in Starck & Murtagh, Astronomical Image and Data Analysis.
 */
export const STARLET_NOISE = [
  0.890796310279, 0.200663851024, 0.0855075047534, 0.0412174443743, 0.0204249665928, 0.0101897592492, 0.00509204668082,
  0.00254566945792,
];

/**
 * Noise σ per pixel of a plane whose noise is white: 1.4826 MAD of the finest starlet coefficients / 0.8908. Blind to
 * everything smoother than about two pixels. Pixels without data (NaN), and those whose smoothing reaches one, say nothing.
 * A plane of one pixel, or without data, gives 0. Source: Starck & Murtagh 1998, PASP 110, 193.
 */
export function whiteNoise(plane: Float32Array, width: number, height: number, kernels: Kernels): number {
  // What is smoothed with a gap is one, and so is its difference: statistics leave both out.
  const smooth = kernels.starletSmooth(plane, width, height, 0);
  return (kernels.robustSpread(difference(plane, smooth)).sigma || 0) / STARLET_NOISE[0];
}

/** 1.4826 MAD of the coefficients at each of `scales` starlet scales: the noise at each scale, white or not. */
export function scaleNoise(
  plane: Float32Array,
  width: number,
  height: number,
  scales: number,
  kernels: Kernels,
): number[] {
  let current = plane;
  return Array.from({ length: scales }, (_, scale) => {
    const smooth = kernels.starletSmooth(current, width, height, scale);
    const detail = difference(current, smooth);
    current = smooth;
    return kernels.robustSpread(detail, 1 << 16).sigma;
  });
}

/** σ of what is finer than 4 px (the picture less its second smoothing) of unit white noise, exactly from the filter taps as above. */
const FINE_NOISE = 0.97783629884;
/** Small, so that even a crowded field has cells without a star. */
const QUIET_CELL = 16;
const QUIET_SHARE = 0.15;
const LEAST_CELLS = 8;
/** Ratios this close to 1 are what white noise scatters by. */
const WHITE_ENOUGH = 0.06;

/**
 * How much larger the noise per pixel is than the finest starlet scale shows: 1 for white noise, more where neighbours are correlated
 * (demosaiced, resampled, smoothed pictures). In the cells of least variation, the 15 % without stars, the spread of all detail up to
 * 4 px is held against that of the finest; only what lies below the median counts, since stars lie above it. The excess x of
 * this ratio over 1 becomes that of the whole noise as 1.28 x + 0.46 x²: exact to 0.2 % for white noise smoothed by a Gaussian of
 * σ ≤ 1 px, to 1.5 % for bilinear means and Lanczos resampling (computed from the taps; see noise.test.ts). Null where the picture has
 * fewer than eight cells of 16 px that have data everywhere, or no noise. Noise that is correlated over more than about 4 px is not seen.
 * Source: own; per-scale noise after Starck & Murtagh 1998, PASP 110, 193.
 */
export function noiseCorrelation(plane: Float32Array, width: number, height: number, kernels: Kernels): number | null {
  return correlationOf(quietCells(plane, width, height, kernels));
}

interface Cell {
  /** σ of the finest scale, as of white noise. */
  finest: number;
  ratio: number;
}

/** The half of the whole cells with least variation, those of least first. */
function quietCells(plane: Float32Array, width: number, height: number, kernels: Kernels): Cell[] {
  const fine = kernels.starletSmooth(plane, width, height, 0);
  const smooth = kernels.starletSmooth(fine, width, height, 1);
  const whole = tilesOf({ x: 0, y: 0, width, height }, QUIET_CELL)
    .filter((cell) => cell.width === QUIET_CELL && cell.height === QUIET_CELL)
    // A plain deviation: any star in a cell drives it up.
    .map(({ x, y }) => ({ at: y * width + x, structure: cellDeviation(smooth, y * width + x, width) }))
    .filter(({ structure }) => structure === structure)
    .sort((a, b) => a.structure - b.structure);
  const finest = new Float32Array(QUIET_CELL ** 2);
  const detail = new Float32Array(QUIET_CELL ** 2);
  return whole
    .slice(0, Math.max(LEAST_CELLS, whole.length >> 1))
    .map(({ at }) => {
      differenceInto(finest, plane, fine, at, width);
      differenceInto(detail, plane, smooth, at, width);
      const sigma = lowerSpread(finest, kernels) / STARLET_NOISE[0];
      return { finest: sigma, ratio: lowerSpread(detail, kernels) / FINE_NOISE / sigma };
    })
    .filter(({ ratio }) => Number.isFinite(ratio));
}

/** Standard deviation within the cell whose first pixel is `at`; NaN where a pixel has no data. */
function cellDeviation(plane: Float32Array, at: number, width: number): number {
  let sum = 0;
  let squares = 0;
  // About the first pixel, so that no digits are lost to the level.
  const first = plane[at];
  for (let v = 0; v < QUIET_CELL; v++)
    for (let i = at + v * width, end = i + QUIET_CELL; i < end; i++) {
      const off = plane[i] - first;
      sum += off;
      squares += off * off;
    }
  const count = QUIET_CELL ** 2;
  return Math.sqrt(Math.max(0, squares - (sum * sum) / count) / count);
}

/** a − b in the cell whose first pixel is `at`. */
function differenceInto(out: Float32Array, a: Float32Array, b: Float32Array, at: number, width: number): void {
  for (let v = 0, k = 0; v < QUIET_CELL; v++)
    for (let i = at + v * width, end = i + QUIET_CELL; i < end; i++, k++) out[k] = a[i] - b[i];
}

function correlationOf(cells: Cell[]): number | null {
  if (cells.length < LEAST_CELLS) return null;
  const quiet = cells.slice(0, Math.max(LEAST_CELLS, Math.round(2 * QUIET_SHARE * cells.length)));
  const excess = medianInPlace(Float64Array.from(quiet, (cell) => cell.ratio)) - 1;
  return excess < WHITE_ENOUGH ? 1 : 1 + 1.28 * excess + 0.46 * excess ** 2;
}

/**
 * 1.4826 times the distance from the first quartile to the median: the σ of a normal distribution whatever lies above. By rank, so that ties of
 * whole numbers, which rounding breaks in one unit and not in another, do not decide.
 */
function lowerSpread(values: Float32Array, kernels: Kernels): number {
  const [quarter, half] = kernels.quantiles(values, [0.25, 0.5]);
  return SIGMA_PER_MAD * (half - quarter);
}

/**
 * σ per pixel of a plane whose noise may be correlated, and by how much the finest scale alone would tell too little; see above. The finest
 * scale is measured from the quieter half of the cells, so that a crowded field shows no more noise than an empty one; as whiteNoise
 * where there are too few cells.
 */
export function pixelNoise(
  plane: Float32Array,
  width: number,
  height: number,
  kernels: Kernels,
): { sigma: number; correlation: number | null } {
  const sigma = whiteNoise(plane, width, height, kernels);
  if (!(sigma > 0)) return { sigma, correlation: null };
  const cells = quietCells(plane, width, height, kernels);
  const correlation = correlationOf(cells);
  if (correlation === null) return { sigma, correlation };
  const quiet = medianInPlace(Float64Array.from(cells, ({ finest }) => finest));
  return { sigma: Math.min(sigma, quiet) * correlation, correlation };
}

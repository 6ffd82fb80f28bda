import type { Kernels } from "../kernels";
import { SIGMA_PER_MAD, median, medianInPlace, robustSpread, tilesOf } from "../raster";

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
 * everything smoother than about two pixels. NaN pixels are left out by passing them in `valid`-filled planes.
 * A plane of one pixel, or without data, gives 0. Source: Starck & Murtagh 1998, PASP 110, 193.
 */
export function whiteNoise(plane: Float32Array, width: number, height: number, kernels: Kernels): number {
  const smooth = kernels.starletSmooth(plane, width, height, 0);
  return (robustSpread(difference(plane, smooth)).sigma || 0) / STARLET_NOISE[0];
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
    return robustSpread(detail, 1 << 16).sigma;
  });
}

/** σ of what is finer than 8 px (the picture less its third smoothing) of unit white noise, exactly from the filter taps as above. */
const FINE_NOISE = 0.994754500415;
const QUIET_CELL = 48;
const QUIET_SHARE = 0.3;
/** Ratios this close to 1 are what white noise scatters by. */
const WHITE_ENOUGH = 0.06;

/**
 * How much larger the noise per pixel is than the finest starlet scale tells: 1 for white noise, more where neighbours are correlated
 * (demosaiced, resampled, smoothed pictures). In the quiet parts of the picture, told by their smooth light, the spread of all
 * detail up to 8 px is held against that of the finest; only what lies below the median counts, since stars lie above it.
 * Null where the picture has fewer than four cells of 48 px, or no noise. Noise that is correlated over more than 8 px is not seen.
 * Source: own; per-scale noise after Starck & Murtagh 1998, PASP 110, 193.
 */
export function noiseCorrelation(plane: Float32Array, width: number, height: number, kernels: Kernels): number | null {
  const fine = kernels.starletSmooth(plane, width, height, 0);
  let smooth = fine;
  for (let scale = 1; scale < 3; scale++) smooth = kernels.starletSmooth(smooth, width, height, scale);
  const cells: { structure: number; ratio: number }[] = [];
  for (const { x, y, width: w, height: h } of tilesOf({ x: 0, y: 0, width, height }, QUIET_CELL)) {
    if (w < QUIET_CELL || h < QUIET_CELL) continue;
    const finest = new Float32Array(w * h);
    const detail = new Float32Array(w * h);
    const light = new Float32Array(w * h);
    for (let v = 0, k = 0; v < h; v++)
      for (let u = 0; u < w; u++, k++) {
        const i = (y + v) * width + x + u;
        finest[k] = plane[i] - fine[i];
        detail[k] = plane[i] - smooth[i];
        light[k] = smooth[i];
      }
    const ratio = lowerSpread(detail) / FINE_NOISE / (lowerSpread(finest) / STARLET_NOISE[0]);
    if (Number.isFinite(ratio)) cells.push({ structure: robustSpread(light).sigma, ratio });
  }
  if (cells.length < 4) return null;
  cells.sort((a, b) => a.structure - b.structure);
  const quiet = cells.slice(0, Math.max(4, Math.round(QUIET_SHARE * cells.length)));
  const ratio = medianInPlace(Float64Array.from(quiet, (cell) => cell.ratio));
  return Math.abs(ratio - 1) < WHITE_ENOUGH ? 1 : Math.max(1, ratio);
}

/** 1.4826 times the median distance below the median: the σ of a normal distribution whatever lies above. */
function lowerSpread(values: Float32Array): number {
  const middle = median(values);
  const below = values.filter((v) => v < middle);
  for (let i = 0; i < below.length; i++) below[i] = middle - below[i];
  return SIGMA_PER_MAD * medianInPlace(below);
}

/** σ per pixel of a plane whose noise may be correlated, and by how much the finest scale alone would tell too little; see above. */
export function pixelNoise(
  plane: Float32Array,
  width: number,
  height: number,
  kernels: Kernels,
): { sigma: number; correlation: number | null } {
  const sigma = whiteNoise(plane, width, height, kernels);
  const correlation = sigma > 0 ? noiseCorrelation(plane, width, height, kernels) : null;
  return { sigma: sigma * (correlation ?? 1), correlation };
}

function difference(a: Float32Array, b: Float32Array): Float32Array {
  const out = new Float32Array(a.length);
  for (let i = 0; i < out.length; i++) out[i] = a[i] - b[i];
  return out;
}

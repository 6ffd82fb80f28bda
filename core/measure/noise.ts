import type { Kernels } from "../kernels";
import { robustSpread } from "../raster";

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
 * A plane of one pixel gives 0. Source: Starck & Murtagh 1998, PASP 110, 193.
 */
export function whiteNoise(plane: Float32Array, width: number, height: number, kernels: Kernels): number {
  const smooth = kernels.starletSmooth(plane, width, height, 0);
  return robustSpread(difference(plane, smooth)).sigma / STARLET_NOISE[0];
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

function difference(a: Float32Array, b: Float32Array): Float32Array {
  const out = new Float32Array(a.length);
  for (let i = 0; i < out.length; i++) out[i] = a[i] - b[i];
  return out;
}

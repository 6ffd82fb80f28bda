import type { Kernels } from "../kernels";

/**
 * A plane smoothed by the first `scales` starlet scales: what is left of detail of about 2^scales px
 * and more. The plane itself for 0. O(scales) a pixel. Source: Starck & Murtagh 2006, Astronomical
 * Image and Data Analysis, 2.3 (B3 spline, à trous).
 */
export function smoothed(
  plane: Float32Array,
  width: number,
  height: number,
  scales: number,
  kernels: Kernels,
): Float32Array {
  let out = plane;
  for (let j = 0; j < scales; j++) out = kernels.starletSmooth(out, width, height, j);
  return out;
}

/** How far so many scales look, in px. */
export const smoothedReach = (scales: number): number => 2 * (2 ** scales - 1);

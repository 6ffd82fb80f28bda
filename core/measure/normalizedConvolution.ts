import type { Kernels } from "../kernels";

/** Smoothings, each twice as wide as the one before: what is measured lies within some 60 px. */
const SMOOTHINGS = 5;

/** The weighted mean of a plane around each place, by starlet smoothings of plane · weight over those of the weight; NaN where none of it lies near. */
export function normalizedConvolution(
  plane: Float32Array,
  weight: Float32Array,
  width: number,
  height: number,
  kernels: Kernels,
): Float32Array {
  let [sum, share]: Float32Array[] = [plane.map((v, i) => (weight[i] > 0 ? v * weight[i] : 0)), weight];
  for (let j = 0; j < SMOOTHINGS; j++)
    [sum, share] = [sum, share].map((of) => kernels.starletSmooth(of, width, height, j));
  return sum.map((v, i) => (share[i] > 1e-6 ? v / share[i] : NaN));
}

import type { Kernels } from "../kernels";
import { mirrorIndex } from "../raster";

/** Second and fourth differences, as taps along one axis. */
const SECOND = [1, -2, 1];
const FOURTH = [1, -4, 6, -4, 1];
/** The two agree to within this where noise is white: each is known to some 1 % from 512² pixels. */
const WHITE_WITHIN = 0.05;

/**
 * The noise of a plane whose noise is white, free of nearly all structure: differences of the second order along both
 * axes, [1 −2 1] ⊗ [1 −2 1]/6, which leave white noise its σ and see next to nothing of what a blur of 2 px or more let
 * through. `plane`: row-major, width · height samples without gaps, mirrored beyond its border. Null where the noise is
 * not white (differences of the fourth order, which lie nearer to the highest frequencies, then show another σ:
 * interpolated or smoothed pictures), where the picture has as much detail at the finest scale as that, or no noise. Two
 * passes over the plane. Source: Immerkær 1996, Comput. Vis. Image Underst. 64, 300; the check by fourth order: own.
 */
export function whiteNoiseField(
  plane: Float32Array,
  width: number,
  height: number,
  kernels: Kernels,
): Float32Array | null {
  if (Math.min(width, height) < FOURTH.length) return null;
  const second = mixed(plane, width, height, SECOND);
  const [near, far] = [second, mixed(plane, width, height, FOURTH)].map((of) => kernels.robustSpread(of).sigma);
  return far > 0 && Math.abs(near / far - 1) < WHITE_WITHIN ? second : null;
}

/** Differences along both axes, of σ 1 for white noise of σ 1. */
function mixed(plane: Float32Array, width: number, height: number, taps: readonly number[]): Float32Array {
  const unit = taps.reduce((sum, tap) => sum + tap * tap, 0);
  const reach = taps.length >> 1;
  const rows = new Float32Array(plane.length);
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++)
      for (const [k, tap] of taps.entries()) rows[i] += tap * plane[y * width + mirrorIndex(x + k - reach, width)];
  const out = new Float32Array(plane.length);
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) {
      let sum = 0;
      for (const [k, tap] of taps.entries()) sum += tap * rows[mirrorIndex(y + k - reach, height) * width + x];
      out[i] = sum / unit;
    }
  return out;
}

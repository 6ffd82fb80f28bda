import type { Facts } from "../facts";
import type { Kernels } from "../kernels";
import { filterVariance, sigmaAt, smoothed, smoothingTaps } from "../measure";
import { slider } from "../parameters";
import type { Raster } from "../raster";
import { meanPlane } from "../raster";

/** Over how wide a surrounding light is looked at, as number of starlet smoothings. */
export const overField = slider({
  label: "Looked at over",
  hint: "Size of the surroundings that decide: at 0 each pixel by itself, then means over about 3, 7, 15, 31 px",
  min: 0,
  max: 4,
  step: 1,
  default: 2,
});

/** The mean of the channels above the sky's. */
export function heightAboveSky(raster: Raster, { sky }: Facts<"sky">, times: number, kernels: Kernels): Float32Array {
  const level = sky.level.reduce((a, b) => a + b, 0) / sky.level.length;
  return smoothed(meanPlane(raster), raster.width, raster.height, times, kernels).map((v) => v - level);
}

/** σ of the noise of the mean of the channels where they stand so high above the sky. */
export function luminanceSigma({ sky, noiseModel }: Facts<"sky" | "noiseModel">, height: number): number {
  const variance = noiseModel.models.reduce((sum, model, c) => sum + sigmaAt(model, sky.level[c] + height) ** 2, 0);
  return Math.sqrt(variance) / noiseModel.models.length;
}

/** Noise after so many smoothings over that before, for noise of the autocovariance `noise` to lags of 8 px. */
export function smoothedShare(noise: readonly number[], times: number): number {
  const taps = smoothingTaps(times);
  const middle = noise[noise.length >> 1];
  return middle > 0 ? Math.sqrt(filterVariance(noise, taps, taps) / middle) : 1;
}

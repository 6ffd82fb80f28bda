import type { LayerScatter } from "../combine";
import { gradientScatter } from "../combine";
import type { Region } from "../raster";
import type { StackSettings } from "../stack";

/**
 * A pixel of a sub is sharper than the stack that predicts it, which was resampled: so much blur, in px², is always allowed for; and a shift of 0.15 px
 * where flanksOf reckons with 0.1.
 */
const BLUR = 0.2;
const SHIFT = (0.15 / 0.1) ** 2;

/**
 * Which pixels of a sub are outliers against what a stack of n subs predicts: 1 above, −1 below, 0 for none. The limits are those of the settings, in σ of the scatter that
 * is expected of sub `index`: its noise and photons, its seeing at flanks, and what the prediction does not know. Pixels without a prediction are kept.
 */
export function tellOutliers(
  values: Float32Array,
  predicted: Float32Array,
  { width, height }: Region,
  scatter: LayerScatter,
  index: number,
  n: number,
  { lowSigma, highSigma }: Pick<StackSettings, "lowSigma" | "highSigma">,
): Int8Array {
  const { curvature, slope } = gradientScatter(predicted, width, height, scatter, n);
  const [noise, signal, blur] = [scatter.noise[index], scatter.signal[index], scatter.blur[index] + BLUR * BLUR];
  const out = new Int8Array(values.length);
  for (let p = 0; p < values.length; p++) {
    const off = values[p] - predicted[p];
    if (off !== off) continue;
    const light = Math.max(0, predicted[p] - scatter.sky);
    // The stack's own noise is that of n such subs.
    const variance = (noise + signal * light) * (1 + 1 / n) + blur * curvature[p] + SHIFT * slope[p];
    const limit = off > 0 ? highSigma : lowSigma;
    if (off * off > limit * limit * variance) out[p] = off > 0 ? 1 : -1;
  }
  return out;
}

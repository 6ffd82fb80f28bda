import type { ResamplingKernel } from "./resample";
import { tapsOf, weightsAt } from "./resample";

/** What resampling costs where subs lie anywhere between the pixels of the reference. */
export interface ResamplingCost {
  /** FWHM of stars in the stack over that in the subs. */
  widening: number;
  /** σ per pixel over that of the subs' white noise. */
  noise: number;
  /** Share of their noise that pixels side by side have in common. */
  shared: number;
}

/** Places between two pixels over which the mean is taken: twice as many change no figure by 1e-6. */
const PHASES = 256;

/**
 * What a kernel makes of a Gaussian star of `fwhmPx` and of white noise, in the mean over all places between the pixels. In that mean a star becomes its profile
 * convolved with the kernel, h; variance per axis becomes ∫ h², and the noise of neighbours correlates by ∫ h(x) h(x + 1) / ∫ h². Bilinear: a star's variance rises by
 * 1/6 px² along each axis, σ falls to 2/3, neighbours share 1/4. RangeError for a width that is not positive. Source: derivation.
 */
export function resamplingCost(kernel: ResamplingKernel, fwhmPx: number): ResamplingCost {
  if (!(fwhmPx > 0)) throw new RangeError(`the width of stars must be positive, received ${fwhmPx}`);
  const taps = tapsOf(kernel);
  const perVariance = (4 * Math.LN2) / fwhmPx ** 2;
  /** Phases are the middles of equal steps, so that the one that two pixels share does not count twice. */
  const places = Array.from({ length: PHASES }, (_, k) => (k + 0.5) / PHASES);
  const rows = places.map((phase) => weightsAt(kernel, phase));
  const meanOver = (value: (weights: number[], phase: number) => number): number =>
    places.reduce((sum, phase, k) => sum + value(rows[k], phase), 0) / places.length;
  const product = (lag: number) =>
    meanOver((weights) => {
      let sum = 0;
      for (let k = 0; k + lag < taps; k++) sum += weights[k] * weights[k + lag];
      return sum;
    });
  /** A sample at x lies at x + k − taps/2 + 1 − phase of the star that its neighbours see. */
  const profile = (x: number) =>
    meanOver((weights, phase) => {
      let sum = 0;
      for (let k = 0; k < taps; k++) sum += weights[k] * Math.exp(-perVariance * (x + k - taps / 2 + 1 - phase) ** 2);
      return sum;
    });
  const half = profile(0) / 2;
  let [near, far] = [0, 2 * fwhmPx + 2];
  while (far - near > 1e-6) {
    const middle = (near + far) / 2;
    if (profile(middle) > half) near = middle;
    else far = middle;
  }
  const variance = product(0);
  return { widening: (near + far) / fwhmPx, noise: variance, shared: product(1) / variance };
}

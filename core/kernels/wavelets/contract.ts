import type { Region } from "../../raster";

/** What becomes of a coefficient c of noise σ: "bayes" is soft at σ²/σx, σx² the mean of c² over 5 × 5 of its neighbours at its scale less σ²; "soft" and "hard" have a threshold for each band. */
export type WaveletRule = "bayes" | "soft" | "hard";

export interface WaveletSettings {
  /** Low-pass of an orthonormal wavelet: Σ taps² = 1, Σ taps = √2. */
  taps: Float64Array;
  scales: number;
  /** σ of the noise in each band: for each scale, finest first, detail across, detail down, both. */
  sigma: readonly number[];
  rule: WaveletRule;
  /** For "soft" and "hard", in the order of `sigma`; for "bayes" σ counts as so many times itself. */
  thresholds: readonly number[];
}

/** Shrinkage in an undecimated orthonormal wavelet basis. */
export interface WaveletKernels {
  /**
   * The plane put together again from its coefficients in all shifts of an orthonormal wavelet basis, each shrunk by the rule; mirrored at the border. Coefficients are those of the filters over √2 per axis and
   * scale, so that noise of σ 1 has no more in any band. A pixel depends on those within (taps + 1) (2^scales − 1) px or so (waveletReach). Sources: Coifman & Donoho 1995 (all shifts); Mallat 2009, 5.2.2; Chang, Yu & Vetterli
   * 2000, IEEE TIP 9, 1522 (Bayes, by place). Only what is `kept` (all of it, if not said) is computed; the rest is anything.
   */
  waveletShrink(
    plane: Float32Array,
    width: number,
    height: number,
    settings: WaveletSettings,
    kept?: Region,
  ): Float32Array;
  /** The coefficients themselves, at the pixels of the plane: for each scale, finest first, detail across, detail down, both. */
  waveletBands(
    plane: Float32Array,
    width: number,
    height: number,
    settings: Pick<WaveletSettings, "taps" | "scales">,
  ): Float32Array[];
}

/** Half the side of the neighbourhood by which a coefficient is judged, in steps of its scale. */
export const JUDGED = 2;

/** How far a pixel's value depends on others: analysis and synthesis of all scales, and the neighbourhood of the coarsest. */
export const waveletReach = (taps: number, scales: number): number =>
  (taps - 1) * (2 ** scales - 1) + JUDGED * 2 ** (scales - 1) + 1;

/** The high-pass that goes with a low-pass: (−1)^k h(n − 1 − k). */
export const highPass = (taps: Float64Array): Float64Array =>
  taps.map((_, k) => (k % 2 === 0 ? 1 : -1) * taps[taps.length - 1 - k]);

export function checkWavelets({ taps, scales, sigma, thresholds }: WaveletSettings): void {
  if (taps.length < 2 || taps.length % 2 !== 0)
    throw new RangeError(`an even number of taps is needed, received ${taps.length}`);
  if (sigma.length !== 3 * scales || thresholds.length !== 3 * scales)
    throw new RangeError(
      `σ and thresholds of ${3 * scales} bands are needed, received ${sigma.length}, ${thresholds.length}`,
    );
}

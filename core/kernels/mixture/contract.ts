import type { Region } from "../../raster";

/** Neighbours of a coefficient that are looked at together: 5 × 5, spaced as the scale's own taps are. */
export const NEIGHBOURS = 25;

/**
 * One starlet scale of a picture as a mixture: its coefficients in a neighbourhood, whitened against the noise and turned onto the axes of the signal, are
 * v = project · y; along axis k unit noise and z times `lambda` of signal lie in v_k, with z unknown at each place.
 */
export interface MixtureBand {
  /** `axes` rows of 25, neighbours row by row. */
  project: Float32Array;
  /** What an axis gives back to the coefficient in the middle. */
  back: Float32Array;
  axes: number;
  /** For each of `levels` values of z a row of z λ_k/(z λ_k + 1). */
  gains: Float32Array;
  /** For each value of z: the logarithm of how likely it is before anything is seen, less ½ Σ ln(z λ_k + 1). */
  offsets: Float32Array;
  levels: number;
}

export interface MixtureKernels {
  /**
   * The best estimate (least mean square) of the starlet coefficients of a noisy plane at as many scales as there are bands, the coarse rest as it is:
   * Σ_z p(z | v) Σ_k back_k gain_zk v_k with p ∝ exp(offset_z + ½ Σ_k gain_zk v_k²). Mirrored at
   * the border. O(axes · (25 + 2 levels)) a pixel and scale. Only what is `kept` (all of it, if
   * not said) is computed; the rest is anything.
   * Source: Portilla, Strela, Wainwright & Simoncelli 2003, IEEE TIP 12, 1338.
   */
  mixtureShrink(
    plane: Float32Array,
    width: number,
    height: number,
    bands: readonly MixtureBand[],
    kept?: Region,
  ): Float32Array;

  /** The same of one band of any transform, whose coefficients' neighbours lie `step` px apart. */
  mixtureOfBand(plane: Float32Array, width: number, height: number, step: number, band: MixtureBand): Float32Array;
}

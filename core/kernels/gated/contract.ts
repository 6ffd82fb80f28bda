import type { Psf } from "../convolution/contract";

export interface GatedSettings {
  iterations: number;
  /** The first estimate. */
  start: Float32Array;
  /** The blurred estimate is never taken below this value in the division; it must be above 0. */
  floor: number;
  /** Noise of each pixel, and by starlet scale how many times it what the estimate misses must exceed to count. */
  sigma: Float32Array;
  gates: readonly number[];
}

/** So much of an even picture P and Pᵀ find everywhere at least: a lopsided PSF may find nothing in a corner. */
export const LEAST_REACHED = 1e-3;

/** Richardson–Lucy that looks at no more than what stands above the noise. */
export interface GatedKernels {
  /**
   * u ← u · s^(7/4), s = Pᵀ(1 + r̄/max(P u, floor)) and no less than 0, r̄ the residual d − P u with each starlet coefficient w as sign(w) max(0, |w| − gate σ), what is coarser whole; starlets mirror at the border.
   * Where the picture ends P and Pᵀ count only what lies inside, of as much as they find there. `onIteration` is called with the number of iterations done and may throw to stop.
   * Sources: Murtagh, Starck & Bijaoui 1995, A&AS 112, 179; soft thresholds: Donoho 1995, IEEE Trans. Inf. Theory 41, 613; steps to a power: Meinel 1986, JOSA A 3, 787.
   */
  gatedLucy(
    data: Float32Array,
    width: number,
    height: number,
    psf: Psf,
    settings: GatedSettings,
    onIteration?: (done: number) => void,
  ): Float32Array;
}

/** A point-spread function: `size` × `size` samples (size odd), row-major, centre at (size − 1) / 2, sum 1. */
export interface Psf {
  size: number;
  values: Float32Array;
}

export interface RichardsonLucySettings {
  iterations: number;
  /** Start from the data ("data"), from a constant, or from a plane. */
  start: "data" | number | Float32Array;
  /** The blurred estimate is never taken below this value in the division; it must be above 0. */
  floor: number;
  /**
   * Total variation beside the data: each step is divided by 1 − lambda · div(∇u/√(|∇u|² +
   * soften²)), which is never taken below 0.2; lambda one for all or by pixel; null for none.
   */
  variation?: { lambda: number | Float32Array; soften: number } | null;
  /** Damping: where the blurred estimate b comes nearer to the data than one over the root of `inverse` (by pixel, 0 where nothing is ever near enough), the ratio d/b counts by U⁹ (10 − 9 U), U = inverse · (d − b)²; null for none. */
  damping?: { inverse: Float32Array } | null;
  /** Each step after the first starts beyond the last estimate, by (k − 1)/(k + 2) of the way that the last step went, never below 0. @default false */
  isHastened?: boolean;
}

/** The divisor of a step with total variation is at least this. */
export const LEAST_DIVISOR = 0.2;
/** Where there is no data, everything is far from it. */
export const FAR = 1e30;
/** How far beyond an estimate the next step starts, after so many steps. */
export const hastenedBy = (done: number): number => (done - 1) / (done + 2);

/** Convolution with a PSF, and Richardson–Lucy, which is made of it. */
export interface ConvolutionKernels {
  /** Convolution with a PSF, the picture taken as 0 outside. */
  convolve(plane: Float32Array, width: number, height: number, psf: Psf): Float32Array;
  /**
   * Richardson–Lucy: u ← u · (Pᵀ (d / max(P u, floor))), the picture taken as 0 outside. `onIteration` is called with the
   * number of iterations done and may throw to stop. Sources: Richardson 1972, JOSA 62, 55; Lucy 1974, AJ 79, 745; with total variation Dey et al. 2006, Microsc. Res. Tech. 69, 260;
   * damped after White 1994, ASP Conf. 61, 292 (N = 10, the likelihood of Gaussian noise); hastened after Wang & Miller 2014, IEEE Trans. Image Process. 23, 848.
   */
  richardsonLucy(
    data: Float32Array,
    width: number,
    height: number,
    psf: Psf,
    settings: RichardsonLucySettings,
    onIteration?: (done: number) => void,
  ): Float32Array;
}

/** The smallest n' ≥ n of the form 2^a·3^b·5^c that is a multiple of `multiple` (itself a power of two). */
export function goodFftSize(n: number, multiple = 1): number {
  for (let size = Math.ceil(n / multiple) * multiple; ; size += multiple) {
    let rest = size;
    for (const prime of [2, 3, 5]) while (rest % prime === 0) rest /= prime;
    if (rest === 1) return size;
  }
}

export function checkPsf(psf: Psf): void {
  if (psf.size % 2 !== 1 || psf.values.length !== psf.size * psf.size)
    throw new RangeError(
      `a PSF must be square with an odd side, received ${psf.values.length} samples for ${psf.size}`,
    );
}

/** The first estimate. */
export function startOf(start: RichardsonLucySettings["start"], data: Float32Array): Float32Array {
  if (start === "data") return data.slice();
  return typeof start === "number" ? new Float32Array(data.length).fill(start) : start.slice();
}

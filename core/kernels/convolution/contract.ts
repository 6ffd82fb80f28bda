/** A point-spread function: `size` × `size` samples (size odd), row-major, centre at (size − 1) / 2, sum 1. */
export interface Psf {
  size: number;
  values: Float32Array;
}

export interface RichardsonLucySettings {
  iterations: number;
  /** Start from the data ("data") or from a constant. */
  start: "data" | number;
  /** The blurred estimate is never taken below this value in the division; it must be above 0. */
  floor: number;
}

/** Convolution with a PSF, and Richardson–Lucy, which is made of it. */
export interface ConvolutionKernels {
  /** Convolution with a PSF, the picture taken as 0 outside. */
  convolve(plane: Float32Array, width: number, height: number, psf: Psf): Float32Array;
  /**
   * Richardson–Lucy: u ← u · (Pᵀ (d / max(P u, floor))), the picture taken as 0 outside. `onIteration` is called with the
   * number of iterations done and may throw to stop. Source: Richardson 1972, JOSA 62, 55; Lucy 1974, AJ 79, 745.
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

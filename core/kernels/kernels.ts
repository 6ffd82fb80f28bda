/** A point-spread function: `size` × `size` samples (size odd), row-major, centre at (size − 1) / 2, sum 1. */
export interface Psf {
  size: number;
  values: Float32Array;
}

export interface ShrinkSettings {
  /** 1 / σ of the noise, by channel and scale: `inverseSigma[channel][scale]`. 0 means that channel has no noise. */
  inverseSigma: number[][];
  /** Coefficients below about k σ are shrunk; 0 leaves the picture as it is. */
  k: number;
  /** 0 … 1: how much a significant neighbourhood protects a weak coefficient. */
  protect: number;
}

export interface RichardsonLucySettings {
  iterations: number;
  /** Start from the data ("data") or from a constant. */
  start: "data" | number;
  /** The blurred estimate is never taken below this value in the division; it must be above 0. */
  floor: number;
}

/**
 * The hot computations. Two implementations give the same numbers to single precision: WebAssembly SIMD (wasm.ts) and
 * plain TypeScript (plain.ts, its oracle and its fallback). Planes are `width * height`, row-major, free of NaN.
 * Inputs are not changed. Callers do not see which one runs.
 */
export interface Kernels {
  readonly name: "wasm" | "plain";
  /** One starlet smoothing step: the B3 spline [1 4 6 4 1]/16 in x and y at distance 2^scale, mirrored at the border. */
  starletSmooth(plane: Float32Array, width: number, height: number, scale: number): Float32Array;
  /**
   * k-sigma shrinkage of starlet coefficients over `inverseSigma[0].length` scales. With several planes one gain serves
   * all of them at each place, so colour is kept. For each scale with coefficients d_c:
   * z = mean over c of (d_c / σ_c)², e = mean of z over 3 × 3, t = z + 4·protect·max(0, e − 1.5), u = t / k²,
   * d_c ← d_c · u² / (1 + u²).
   */
  starletShrink(planes: Float32Array[], width: number, height: number, settings: ShrinkSettings): Float32Array[];
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

export function checkPlane(plane: Float32Array, width: number, height: number): void {
  if (width < 1 || height < 1 || plane.length !== width * height)
    throw new RangeError(`a plane must hold ${width}×${height} samples, received ${plane.length}`);
}

export function checkPsf(psf: Psf): void {
  if (psf.size % 2 !== 1 || psf.values.length !== psf.size * psf.size)
    throw new RangeError(
      `a PSF must be square with an odd side, received ${psf.values.length} samples for ${psf.size}`,
    );
}

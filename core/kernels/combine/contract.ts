/** The values that are left of a pixel's sorted ones: first … end − 1. */
export interface Kept {
  first: number;
  end: number;
}

export interface Limits {
  lowSigma: number;
  highSigma: number;
}

/** A way to tell outliers among the values of one pixel; a new one is a file and a line in core/combine/registry.ts. */
export interface Rejector {
  id: string;
  /** What it rejects, in words that follow "Reject". */
  label: string;
  /** Narrows `kept` (0 … count at first) to what is no outlier; `sorted` holds `count` values in ascending order. */
  narrow(sorted: Float64Array, count: number, limits: Limits, kept: Kept): void;
  /** Number of its twin in assembly.ts. */
  twin: number;
}

export interface CombineSettings {
  /** The weighted mean of what is left, or its median (in which all that is left weighs alike). */
  by: "mean" | "median";
  rejector: Rejector;
  limits: Limits;
}

export interface CombineResult {
  mean: Float32Array;
  /** Of layers of even index. */
  a: Float32Array;
  /** Of layers of odd index. */
  b: Float32Array;
  /** Values that went into the mean at each pixel. */
  kept: Uint16Array;
  /** Values that had data at each pixel. */
  coverage: Uint16Array;
  /** Values that had data, in all, and how many of them were rejected. */
  samples: number;
  rejected: number;
}

export interface CombineKernels {
  /**
   * Combines `n` layers at each of `pixels` pixels: `cube[i * pixels + p]` is layer i at pixel p, NaN for no data. Outliers are rejected
   * over all layers; halves A (layers of even index) and B (odd) use what is left of theirs. Where nothing is left the result is NaN.
   * Which values are kept is decided in double precision, alike in both twins. RangeError for arrays of other sizes or more than 65,535 layers.
   */
  combine(
    cube: Float32Array,
    n: number,
    pixels: number,
    weights: ArrayLike<number>,
    settings: CombineSettings,
  ): CombineResult;
}

export function emptyResult(pixels: number): CombineResult {
  const plane = () => new Float32Array(pixels);
  const counts = () => new Uint16Array(pixels);
  return { mean: plane(), a: plane(), b: plane(), kept: counts(), coverage: counts(), samples: 0, rejected: 0 };
}

export function checkCube(cube: Float32Array, n: number, pixels: number, weights: ArrayLike<number>): void {
  if (n < 1 || n > 65535 || cube.length !== n * pixels || weights.length !== n)
    throw new RangeError(
      `a cube must hold ${n} layers of ${pixels} pixels with a weight each, received ${cube.length} samples and ${weights.length} weights`,
    );
}

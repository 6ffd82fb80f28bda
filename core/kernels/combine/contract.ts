import type { Memory } from "../../memory";

/** The values that are left of a pixel's sorted ones: first … end − 1. */
export interface Kept {
  first: number;
  end: number;
}

/** How far below and above a rejector goes, in its own measure (σ, shares or numbers of values). */
export interface Limits {
  low: number;
  high: number;
}

/** A way to tell outliers among the values of one pixel; a new one is a file and a line in core/combine/registry.ts. */
export interface Rejector {
  id: string;
  /** What it rejects, in words that follow "Reject". */
  label: string;
  /**
   * Narrows `kept` (0 … count at first) to what is no outlier; `sorted` holds `count` values in ascending order. Values equal to the last one that
   * is kept are kept too. Null where values are held against the scatter that is expected of each layer (ScatterModel).
   */
  narrow: ((sorted: Float64Array, count: number, limits: Limits, kept: Kept, table?: Table) => void) | null;
  /** What it looks up, for up to n layers; made once a cube. */
  table?(n: number, limits: Limits): Table;
  /** Number of its twin in assembly.ts. */
  twin: number;
}

/** Rows of numbers by how many values there are: row `count` begins at count · row. */
export interface Table {
  row: number;
  values: Float64Array;
}

/**
 * Variance that is expected of layer i at a pixel: noise_i + signal_i · max(0, centre − sky) + blur_i · curvature + slope. All in the units of
 * the samples, squared where they are variances.
 */
export interface ScatterModel {
  noise: ArrayLike<number>;
  /** Variance per level of light above the sky. */
  signal: ArrayLike<number>;
  /** Square of how much a layer is blurred otherwise than the others, in px². */
  blur: ArrayLike<number>;
  sky: number;
  /** By pixel: the median of the layers, and their median distance to it. */
  centre: Float32Array;
  spread: Float32Array;
  /** By pixel: squares of the centre's curvature and of what a small shift changes; NaN counts as nothing known. */
  curvature: Float32Array;
  slope: Float32Array;
}

export interface CombineSettings {
  /** The weighted mean of what is left, or its median (in which all that is left weighs alike). */
  by: "mean" | "median";
  rejector: Rejector;
  limits: Limits;
}

/** One picture of the layers, and one of each half of them. */
export interface Means {
  mean: Float32Array;
  /** Of layers of even index. */
  a: Float32Array;
  /** Of layers of odd index. */
  b: Float32Array;
}

export interface CombineResult extends Means {
  /** What is left, by the weights of detail; null where none were given. */
  fine: Means | null;
  /** Values that went into the mean at each pixel. */
  kept: Uint16Array;
  /** Values that had data at each pixel. */
  coverage: Uint16Array;
  /** Values that were rejected for lying below the others; the rest of what was rejected lay above, or was bad. */
  below: Uint16Array;
  /** Values that had data, in all, and how many of them were rejected. */
  samples: number;
  rejected: number;
}

export interface CombineKernels {
  /**
   * Combines `n` layers at each of `pixels` pixels: `cube[i * pixels + p]` is layer i at pixel p, NaN for no data, +∞ for data that is known to be
   * bad and is rejected whatever the rejector says. Outliers are rejected over all layers; halves A (layers of even index) and B (odd) use
   * what is left of theirs. Where nothing is left the result is NaN. Both twins keep the same values: those that narrow sorted ones decide in double
   * precision, the expected scatter in single. With `fine`, a second weight of each layer, there
   * is a second mean of what is left. RangeError for arrays of other sizes, more than 65,535
   * layers, or a missing model.
   */
  combine(
    cube: Float32Array,
    n: number,
    pixels: number,
    weights: ArrayLike<number>,
    settings: CombineSettings,
    model?: ScatterModel,
    fine?: ArrayLike<number> | null,
  ): CombineResult;

  /** The median of each pixel's values and the median of their distances to it; NaN where there is none. Cube as above. */
  centres(cube: Float32Array, n: number, pixels: number): { median: Float32Array; spread: Float32Array };
}

/** σ of normal noise over the median distance to its median: 1/Φ⁻¹(3/4). */
export const SIGMA_PER_MAD = 1.4826;

/** Noise, signal and blur of each layer, and last of a typical one: their medians. */
export function layersOf({ noise, signal, blur }: ScatterModel, n: number): Float32Array {
  const middle = (values: ArrayLike<number>): number =>
    Float64Array.from({ length: n }, (_, i) => values[i]).sort()[n >> 1];
  const layers = new Float32Array(3 * (n + 1));
  for (let i = 0; i < n; i++) layers.set([noise[i], signal[i], blur[i]], 3 * i);
  layers.set([middle(noise), middle(signal), middle(blur)], 3 * n);
  return layers;
}

/** What the rejector looks up for `n` layers, worked out once for the same limits. */
export const tableOf = (memory: Memory, n: number, { rejector, limits }: CombineSettings): Table | undefined =>
  rejector.table && memory.remember(rejector, `${n} ${limits.low} ${limits.high}`, () => rejector.table?.(n, limits));

const emptyMeans = (pixels: number): Means => ({
  mean: new Float32Array(pixels),
  a: new Float32Array(pixels),
  b: new Float32Array(pixels),
});

export function emptyResult(pixels: number, hasFine: boolean): CombineResult {
  const counts = () => new Uint16Array(pixels);
  return {
    ...emptyMeans(pixels),
    fine: hasFine ? emptyMeans(pixels) : null,
    kept: counts(),
    coverage: counts(),
    below: counts(),
    samples: 0,
    rejected: 0,
  };
}

export function checkCube(cube: Float32Array, n: number, pixels: number, weights?: ArrayLike<number>): void {
  if (n < 1 || n > 65535 || cube.length !== n * pixels || (weights && weights.length !== n))
    throw new RangeError(
      `a cube must hold ${n} layers of ${pixels} pixels with a weight each, received ${cube.length} samples and ${weights?.length} weights`,
    );
}

export function checkModel(model: ScatterModel | undefined, n: number, pixels: number): ScatterModel {
  const planes = model && [model.centre, model.spread, model.curvature, model.slope];
  if (!model || model.noise.length !== n || planes?.some((plane) => plane.length !== pixels))
    throw new RangeError(`this rejection needs the expected scatter of ${n} layers at ${pixels} pixels`);
  return model;
}

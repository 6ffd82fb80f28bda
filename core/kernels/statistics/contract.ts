import type { RobustSpread } from "../../raster/statistics";

/** Robust statistics of a few hundred to a few hundred thousand values, as raster/statistics.ts defines them: medians and quantiles to the last digit. NaN is left out. */
export interface StatisticsKernels {
  /** Median and 1.4826 MAD of at most `limit` values at an even stride. */
  robustSpread(values: Float32Array, limit?: number): RobustSpread;
  /** What is left after clipping at ±kappa σ about the median, in at most `rounds` rounds, of at most `limit` values at an even stride. */
  clippedMean(
    values: Float32Array,
    kappa: number,
    rounds?: number,
    limit?: number,
  ): { mean: number; median: number; sigma: number; count: number };
  /** The nearest-rank quantiles at `shares` (0 … 1), one for each; NaN for no values. */
  quantiles(values: Float32Array, shares: readonly number[]): number[];
}

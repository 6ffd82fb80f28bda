/** The values that are left of a pixel's sorted ones: first … end − 1. */
export interface Kept {
  first: number;
  end: number;
}

export interface Limits {
  lowSigma: number;
  highSigma: number;
}

/** A way to tell outliers among the values of one pixel; a new one is a file and a line in `registry.ts`. */
export interface Rejector {
  id: string;
  /** What it rejects, in words that follow "Reject". */
  label: string;
  /** Narrows `kept` (0 … count at first) to what is no outlier; `sorted` holds `count` values in ascending order. */
  narrow(sorted: Float64Array, count: number, limits: Limits, kept: Kept): void;
}

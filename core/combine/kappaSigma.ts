import type { Kept, Limits, Rejector } from "../kernels";
import { drop, middleOf, ROUNDS } from "./sorted";

/**
 * κ-sigma clipping of sorted values: what is left when no value lies below median − low·σ or above median + high·σ (population σ), or
 * after five rounds. Equal to iterating over unsorted values, since what is clipped lies at the ends. With n values none can lie further than
 * √(n − 1) σ from the mean: few subs lose nothing at κ = 3.
 * Source: common practice (iterative κ-sigma clipping about the median); checked against a reference library in tests.
 */
export function clipSorted(sorted: Float64Array, _: number, limits: Limits, kept: Kept): void {
  for (let round = 0; round < ROUNDS && kept.end - kept.first > 1; round++) {
    const { first, end } = kept;
    const n = end - first;
    const median = middleOf(sorted, kept);
    let sum = 0;
    for (let i = first; i < end; i++) sum += sorted[i];
    const mean = sum / n;
    let squares = 0;
    for (let i = first; i < end; i++) {
      const d = sorted[i] - mean;
      squares += d * d;
    }
    const sigma = Math.sqrt(squares / n);
    if (!drop(sorted, kept, median - limits.low * sigma, median + limits.high * sigma)) return;
  }
}

export const kappaSigma: Rejector = {
  id: "sigma",
  label: "beyond σ of the samples",
  narrow: clipSorted,
  twin: 1,
};

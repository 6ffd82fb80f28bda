import type { Kept, Limits, Rejector } from "../kernels";

/** Most rounds; a round clips against the median and σ of what is left. */
const ROUNDS = 5;

/**
 * κ-sigma clipping of the first `count` values in ascending order: what is left when no value lies below median − low·σ or above
 * median + high·σ (population σ), or after five rounds. Equal to iterating over unsorted values, since what is clipped lies at
 * the ends. With n values none can lie further than √(n − 1) σ from the mean: few subs lose nothing at κ = 3.
 * Source: common practice (iterative κ-sigma clipping about the median); checked against a reference library in tests.
 */
export function clipSorted(sorted: Float64Array, count: number, limits: Limits, kept: Kept): void {
  let first = 0;
  let end = count;
  for (let round = 0; round < ROUNDS && end - first > 1; round++) {
    const n = end - first;
    const middle = first + (n >> 1);
    const median = n % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
    let sum = 0;
    for (let i = first; i < end; i++) sum += sorted[i];
    const mean = sum / n;
    let squares = 0;
    for (let i = first; i < end; i++) {
      const d = sorted[i] - mean;
      squares += d * d;
    }
    const sigma = Math.sqrt(squares / n);
    const least = median - limits.lowSigma * sigma;
    const most = median + limits.highSigma * sigma;
    let nextFirst = first;
    let nextEnd = end;
    while (nextFirst < nextEnd && sorted[nextFirst] < least) nextFirst++;
    while (nextEnd > nextFirst && sorted[nextEnd - 1] > most) nextEnd--;
    // Where σ is lost in rounding, limits may leave nothing: values so close are no outliers.
    if ((nextFirst === first && nextEnd === end) || nextEnd <= nextFirst) break;
    first = nextFirst;
    end = nextEnd;
  }
  kept.first = first;
  kept.end = end;
}

export const kappaSigma: Rejector = { id: "sigma", label: "outliers beyond σ limits", narrow: clipSorted, twin: 1 };

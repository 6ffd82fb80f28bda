/** Rejection of outliers at one pixel; Infinity for no limit on a side. */
export interface Rejection {
  lowSigma: number;
  highSigma: number;
  /** Most rounds; a round clips against the median and σ of what is left. */
  rounds: number;
}

/**
 * κ-sigma clipping of the first `count` values in ascending order: returns the range [first, end) of `sorted` that is left
 * when no value lies below median − low·σ or above median + high·σ (population σ) or `rounds` rounds are done.
 * Equal to iterating over unsorted values, since what is clipped lies at the ends.
 * Source: common practice (iterative κ-sigma clipping about the median); checked against a reference library in tests.
 */
export function clipSorted(
  sorted: Float64Array,
  count: number,
  rejection: Rejection,
  range: { first: number; end: number },
): void {
  let first = 0;
  let end = count;
  for (let round = 0; round < rejection.rounds && end - first > 1; round++) {
    const n = end - first;
    const middle = first + (n >> 1);
    const median = n % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
    let sum = 0;
    for (let i = first; i < end; i++) sum += sorted[i];
    const mean = sum / n;
    let squares = 0;
    for (let i = first; i < end; i++) squares += (sorted[i] - mean) ** 2;
    const sigma = Math.sqrt(squares / n);
    const least = median - rejection.lowSigma * sigma;
    const most = median + rejection.highSigma * sigma;
    let nextFirst = first;
    let nextEnd = end;
    while (nextFirst < nextEnd && sorted[nextFirst] < least) nextFirst++;
    while (nextEnd > nextFirst && sorted[nextEnd - 1] > most) nextEnd--;
    if (nextFirst === first && nextEnd === end) break;
    first = nextFirst;
    end = nextEnd;
  }
  range.first = first;
  range.end = end;
}

export interface CombineOutput {
  mean: Float32Array;
  a: Float32Array;
  b: Float32Array;
  /** Values that went into the mean at each pixel. */
  kept: Uint16Array;
}

/**
 * Weighted means of `n` subs at each of `pixels` pixels: `cube[i * pixels + p]` is sub i at pixel p, NaN for no data.
 * Outliers are rejected over all subs; the means of halves A (subs of even index) and B (odd) use what is left of theirs.
 * Where nothing is left the result is NaN. Returns how many values had data and how many of them were rejected.
 * O(n log n) a pixel; values are sorted once by insertion.
 */
export function combineInto(
  out: CombineOutput,
  cube: Float32Array,
  n: number,
  pixels: number,
  weights: ArrayLike<number>,
  rejection: Rejection | null,
): { samples: number; rejected: number } {
  const sorted = new Float64Array(n);
  const order = new Int32Array(n);
  const range = { first: 0, end: 0 };
  let samples = 0;
  let rejected = 0;
  for (let p = 0; p < pixels; p++) {
    let count = 0;
    for (let i = 0; i < n; i++) {
      const value = cube[i * pixels + p];
      if (value !== value) continue;
      let at = count++;
      if (rejection) {
        while (at > 0 && sorted[at - 1] > value) {
          sorted[at] = sorted[at - 1];
          order[at] = order[at - 1];
          at--;
        }
      }
      sorted[at] = value;
      order[at] = i;
    }
    range.first = 0;
    range.end = count;
    if (rejection) clipSorted(sorted, count, rejection, range);
    let sumA = 0;
    let sumB = 0;
    let weightA = 0;
    let weightB = 0;
    for (let k = range.first; k < range.end; k++) {
      const i = order[k];
      const w = weights[i];
      if (i % 2 === 0) {
        sumA += w * sorted[k];
        weightA += w;
      } else {
        sumB += w * sorted[k];
        weightB += w;
      }
    }
    samples += count;
    rejected += count - (range.end - range.first);
    out.kept[p] = range.end - range.first;
    out.mean[p] = (sumA + sumB) / (weightA + weightB);
    out.a[p] = sumA / weightA;
    out.b[p] = sumB / weightB;
  }
  return { samples, rejected };
}

import type { Kept, Limits, Rejector } from "./rejector";

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
  rejector: Rejector | null,
  limits: Limits,
): { samples: number; rejected: number } {
  const sorted = new Float64Array(n);
  const order = new Int32Array(n);
  const range: Kept = { first: 0, end: 0 };
  let samples = 0;
  let rejected = 0;
  for (let p = 0; p < pixels; p++) {
    let count = 0;
    for (let i = 0; i < n; i++) {
      const value = cube[i * pixels + p];
      if (value !== value) continue;
      let at = count++;
      if (rejector) {
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
    rejector?.narrow(sorted, count, limits, range);
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

import type { Kept } from "../kernels";

/** Most rounds of rejectors that repeat themselves on what is left. */
export const ROUNDS = 5;

/** Median of the sorted values first … end − 1. */
export function middleOf(sorted: Float64Array, { first, end }: Kept): number {
  const n = end - first;
  const middle = first + (n >> 1);
  return n % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}

/** Median distance of the sorted values first … end − 1 to their median: both ways from the middle, the nearer first. */
export function madOf(sorted: Float64Array, median: number, { first, end }: Kept): number {
  const n = end - first;
  let right = first + (n >> 1);
  let left = right - 1;
  let before = 0;
  let last = 0;
  for (let k = 0; k <= n >> 1; k++) {
    before = last;
    const down = left >= first ? median - sorted[left] : Infinity;
    const up = right < end ? sorted[right] - median : Infinity;
    if (down < up) {
      last = down;
      left--;
    } else {
      last = up;
      right++;
    }
  }
  return n % 2 === 1 ? last : (before + last) / 2;
}

/**
 * Drops values outside least … most from the ends; false where nothing is dropped. Where σ is lost in rounding, limits may leave nothing: values
 * so close are no outliers, and all stay.
 */
export function drop(sorted: Float64Array, kept: Kept, least: number, most: number): boolean {
  let { first, end } = kept;
  while (first < end && sorted[first] < least) first++;
  while (end > first && sorted[end - 1] > most) end--;
  if ((first === kept.first && end === kept.end) || end <= first) return false;
  kept.first = first;
  kept.end = end;
  return true;
}

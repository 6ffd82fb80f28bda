/** σ of a normal distribution from its median absolute deviation: 1/Φ⁻¹(3/4) = 1.482602218505602. */
export const SIGMA_PER_MAD = 1.482602218505602;

/**
 * The k-th smallest value (0-based) of `values[0 … count − 1]`, by Hoare's selection; reorders those values.
 * Values must not be NaN. O(count) on average.
 * Source: Hoare 1961, CACM 4, 321.
 */
export function selectInPlace(values: Float32Array | Float64Array, k: number, count = values.length): number {
  let left = 0;
  let right = count - 1;
  while (left < right) {
    const middle = (left + right) >> 1;
    const a = values[left];
    const b = values[middle];
    const c = values[right];
    const pivot = a < b ? (b < c ? b : a < c ? c : a) : a < c ? a : b < c ? c : b;
    let i = left;
    let j = right;
    while (i <= j) {
      while (values[i] < pivot) i++;
      while (values[j] > pivot) j--;
      if (i <= j) {
        const swap = values[i];
        values[i] = values[j];
        values[j] = swap;
        i++;
        j--;
      }
    }
    if (k <= j) right = j;
    else if (k >= i) left = i;
    else break;
  }
  return values[k];
}

/** A copy of the values that are not NaN, at most `limit` of them at an even stride. */
export function finiteSample(values: ArrayLike<number>, limit = Infinity): Float32Array {
  const stride = Math.max(1, Math.floor(values.length / limit));
  const out = new Float32Array(Math.ceil(values.length / stride));
  let n = 0;
  for (let i = 0; i < values.length; i += stride) {
    const v = values[i];
    if (v === v) out[n++] = v;
  }
  return out.subarray(0, n);
}

/** Median of `values[0 … count − 1]` (mean of the two middle ones for an even count); reorders them. NaN for none. */
export function medianInPlace(values: Float32Array | Float64Array, count = values.length): number {
  if (count === 0) return NaN;
  const high = selectInPlace(values, count >> 1, count);
  if (count % 2 === 1) return high;
  let low = -Infinity;
  for (let i = 0; i < count >> 1; i++) if (values[i] > low) low = values[i];
  return (low + high) / 2;
}

/** Median of all values that are not NaN; NaN for none. The input is not changed. */
export function median(values: ArrayLike<number>): number {
  return medianInPlace(finiteSample(values));
}

/** The q-quantile (0 … 1), nearest rank, of all values that are not NaN; NaN for none. */
export function quantile(values: ArrayLike<number>, q: number, limit = 1 << 20): number {
  const sample = finiteSample(values, limit);
  if (sample.length === 0) return NaN;
  return selectInPlace(sample, Math.min(sample.length - 1, Math.max(0, Math.round(q * (sample.length - 1)))));
}

/**
 * Gathers the `count` largest of many values, NaN and infinite ones left out, in one pass: O(n) where few values are large.
 */
export class LargestValues {
  private readonly held: Float32Array;
  private n = 0;
  private floor = -Infinity;

  constructor(private readonly count: number) {
    this.held = new Float32Array(4 * count + 1024);
  }

  /** With `maxima` of its chunks, those without a large value are passed over. */
  add(values: ArrayLike<number>, maxima: Float32Array | null = null): void {
    if (!maxima) return this.addPart(values, 0, values.length);
    for (const [k, most] of maxima.entries())
      if (most > this.floor) this.addPart(values, k * CHUNK, Math.min(values.length, (k + 1) * CHUNK));
  }

  private addPart(values: ArrayLike<number>, from: number, to: number): void {
    let { floor } = this;
    for (let i = from; i < to; i++) {
      const v = values[i];
      if (!(v > floor) || v === Infinity) continue;
      this.held[this.n++] = v;
      if (this.n < this.held.length) continue;
      this.settle();
      floor = this.floor;
    }
  }

  /** The values gathered, rising; fewer where there were fewer. */
  rising(): Float32Array {
    this.settle();
    return this.held.slice(0, this.n);
  }

  private settle(): void {
    this.held.subarray(0, this.n).sort();
    if (this.n <= this.count) return;
    this.held.copyWithin(0, this.n - this.count, this.n);
    this.n = this.count;
    this.floor = this.held[0];
  }
}

export interface RobustSpread {
  /** Median of the values. */
  centre: number;
  /** 1.4826 × median absolute deviation: the σ of normally distributed values. */
  sigma: number;
  count: number;
}

/**
 * Median and 1.4826 MAD of the values that are not NaN. No values: NaN, NaN, 0; one value: sigma 0.
 * At most `limit` values are looked at, at an even stride.
 * Source: derivation, σ = MAD / Φ⁻¹(3/4).
 */
export function robustSpread(values: ArrayLike<number>, limit = 1 << 18): RobustSpread {
  const sample = finiteSample(values, limit);
  const count = sample.length;
  if (count === 0) return { centre: NaN, sigma: NaN, count };
  const centre = medianInPlace(sample);
  for (let i = 0; i < count; i++) sample[i] = Math.abs(sample[i] - centre);
  return { centre, sigma: SIGMA_PER_MAD * medianInPlace(sample), count };
}

/**
 * Mean and standard deviation of what is left after clipping at ±kappa σ about the median, repeated until nothing more
 * is clipped or `rounds` rounds are done; at most `limit` values are looked at, at an even stride. Source: common practice of the trade (iterative κ-sigma clipping).
 */
export function clippedMean(
  values: ArrayLike<number>,
  kappa: number,
  rounds = 8,
  limit = Infinity,
): { mean: number; median: number; sigma: number; count: number } {
  const kept = finiteSample(values, limit);
  let count = kept.length;
  for (let round = 0; ; round++) {
    if (count === 0) return { mean: NaN, median: NaN, sigma: NaN, count: 0 };
    const centre = medianInPlace(kept, count);
    const { mean, sigma } = meanAndDeviation(kept, count);
    let left = 0;
    if (round < rounds)
      for (let i = 0; i < count; i++) if (Math.abs(kept[i] - centre) <= kappa * sigma) kept[left++] = kept[i];
    if (round >= rounds || left === count) return { mean, median: centre, sigma, count };
    count = left;
  }
}

/** Mean and population standard deviation (divided by n) of the first n values, none NaN, in double precision. */
export function meanAndDeviation(values: ArrayLike<number>, n = values.length): { mean: number; sigma: number } {
  let sum = 0;
  for (let i = 0; i < n; i++) sum += values[i];
  const mean = sum / n;
  let squares = 0;
  for (let i = 0; i < n; i++) squares += (values[i] - mean) * (values[i] - mean);
  return { mean, sigma: Math.sqrt(squares / n) };
}

/** So many values are a chunk, of which the largest is known. */
export const CHUNK = 64;

/**
 * Index of the first value from `from` on that is at least `least`; the length where there is none. `maxima` holds the largest of each chunk, so that
 * chunks are passed over.
 */
export function nextAtLeast(values: Float32Array, from: number, least: number, maxima: Float32Array): number {
  const n = values.length;
  let i = from;
  while (i < n) {
    const end = i - (i % CHUNK) + CHUNK;
    if (maxima[Math.floor(i / CHUNK)] >= least) for (; i < Math.min(n, end); i++) if (values[i] >= least) return i;
    i = end;
  }
  return n;
}

// Combining the layers of a stack, four pixels at a time. Values are sorted by a network of minima and maxima (the same for all four
// pixels), the rejector narrows each pixel's sorted values to a range, and a second pass over the layers sums what lies in it.
// Source of the network: Batcher 1968, AFIPS 32, 307 (odd–even merge); the caller lays its pairs down.

const NONE: i32 = 0;
const SIGMA: i32 = 1;

/** Most rounds of κ-sigma clipping. */
const ROUNDS: i32 = 5;

// Bounds of what is kept of one pixel's sorted values: positions first … end − 1.
let first: i32 = 0;
let end: i32 = 0;

// @ts-ignore: decorator
@inline function valueAt(sorted: usize, k: i32): f64 { return <f64>load<f32>(sorted + ((<usize>k) << 4)); }

/** As clipSorted in core/combine/kappaSigma.ts, operation by operation, so that both decide alike. */
function clip(sorted: usize, count: i32, low: f64, high: f64): void {
  for (let round = 0; round < ROUNDS && end - first > 1; round++) {
    const n = end - first;
    const middle = first + (n >> 1);
    const median = n & 1 ? valueAt(sorted, middle) : (valueAt(sorted, middle - 1) + valueAt(sorted, middle)) / 2;
    let sum: f64 = 0;
    for (let i = first; i < end; i++) sum += valueAt(sorted, i);
    const mean = sum / <f64>n;
    let squares: f64 = 0;
    for (let i = first; i < end; i++) {
      const d = valueAt(sorted, i) - mean;
      squares += d * d;
    }
    const sigma = Math.sqrt(squares / <f64>n);
    const least = median - low * sigma;
    const most = median + high * sigma;
    let nextFirst = first;
    let nextEnd = end;
    while (nextFirst < nextEnd && valueAt(sorted, nextFirst) < least) nextFirst++;
    while (nextEnd > nextFirst && valueAt(sorted, nextEnd - 1) > most) nextEnd--;
    if ((nextFirst == first && nextEnd == end) || nextEnd <= nextFirst) break;
    first = nextFirst;
    end = nextEnd;
  }
}

/** Sorts the four columns of `at` (a vector of four pixels each) by pairs of byte offsets. */
function sortColumns(at: usize, pairs: usize, count: i32): void {
  const stop = pairs + ((<usize>count) << 3);
  for (let pair = pairs; pair < stop; pair += 8) {
    const p = at + <usize>load<u32>(pair), q = at + <usize>load<u32>(pair, 4);
    const x = v128.load(p), y = v128.load(q);
    v128.store(p, f32x4.pmin(x, y));
    v128.store(q, f32x4.pmax(x, y));
  }
}

// @ts-ignore: decorator
@inline function medianOf(sorted: usize, from: i32, to: i32): f32 {
  const n = to - from;
  if (n < 1) return <f32>NaN;
  const middle = from + (n >> 1);
  return n & 1 ? <f32>valueAt(sorted, middle) : <f32>((valueAt(sorted, middle - 1) + valueAt(sorted, middle)) / 2);
}

/**
 * `cube`: n layers of `pitch` floats, pixels a multiple of 4. `weights`: n doubles. `pairs`: the network for n values, then (where
 * medians are asked for) that for ⌈n/2⌉. `sorted`: n vectors of scratch. Results: floats (mean, a, b) and 16-bit counts (kept, coverage).
 */
export function combineBlock(
  cube: usize, n: i32, pitch: i32, pixels: i32, weights: usize, rejector: i32, low: f64, high: f64, median: i32,
  pairs: usize, pairCount: i32, halfPairs: usize, halfPairCount: i32, sorted: usize,
  mean: usize, a: usize, b: usize, kept: usize, coverage: usize,
): void {
  const row = (<usize>pitch) << 2;
  const infinite = f32x4.splat(<f32>Infinity);
  const zero = f64x2.splat(0);
  for (let p: usize = 0; p < (<usize>pixels) << 2; p += 16) {
    let counts = i32x4.splat(0);
    let at = cube + p;
    for (let i = 0; i < n; i++, at += row) {
      const v = v128.load(at);
      const known = f32x4.eq(v, v);
      counts = i32x4.sub(counts, known);
      v128.store(sorted + ((<usize>i) << 4), v128.bitselect(v, infinite, known));
    }
    v128.store(coverage, v128.shuffle<i16>(counts, counts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
    let lows = infinite, highs = f32x4.neg(infinite);
    if (rejector != NONE || median) sortColumns(sorted, pairs, pairCount);
    if (rejector == NONE) {
      lows = f32x4.neg(infinite);
      highs = infinite;
      if (median)
        for (let lane: usize = 0; lane < 4; lane++)
          store<f32>(mean + (lane << 2), medianOf(sorted + (lane << 2), 0, load<u16>(coverage + (lane << 1))));
    } else {
      for (let lane: usize = 0; lane < 4; lane++) {
        const column = sorted + (lane << 2);
        first = 0;
        end = load<u16>(coverage + (lane << 1));
        if (rejector == SIGMA) clip(column, end, low, high);
        if (median) store<f32>(mean + (lane << 2), medianOf(column, first, end));
        // The scratch behind the sorted values holds the bounds, so that the lanes need not be constants.
        const bounds = sorted + ((<usize>n) << 4) + (lane << 2);
        store<f32>(bounds, end > first ? load<f32>(column + ((<usize>first) << 4)) : <f32>Infinity);
        store<f32>(bounds, end > first ? load<f32>(column + ((<usize>(end - 1)) << 4)) : <f32>(-Infinity), 16);
      }
      lows = v128.load(sorted + ((<usize>n) << 4));
      highs = v128.load(sorted + ((<usize>n) << 4), 16);
    }
    let keptCounts = i32x4.splat(0);
    at = cube + p;
    if (median) {
      for (let half: usize = 0; half < 2; half++) {
        let halfCounts = i32x4.splat(0);
        let k: usize = sorted;
        for (let i: usize = half; i < <usize>n; i += 2, k += 16) {
          const v = v128.load(at + i * row);
          const inside = v128.and(f32x4.ge(v, lows), f32x4.le(v, highs));
          halfCounts = i32x4.sub(halfCounts, inside);
          v128.store(k, v128.bitselect(v, infinite, inside));
        }
        // With an odd number of layers half B is one short.
        if (half == 1 && n & 1) v128.store(k, infinite);
        sortColumns(sorted, halfPairs, halfPairCount);
        const out = half == 0 ? a : b;
        v128.store(kept, halfCounts);
        for (let lane: usize = 0; lane < 4; lane++)
          store<f32>(out + (lane << 2), medianOf(sorted + (lane << 2), 0, load<i32>(kept + (lane << 2))));
        keptCounts = i32x4.add(keptCounts, halfCounts);
      }
    } else {
      let sumA0 = zero, sumA1 = zero, weightA0 = zero, weightA1 = zero;
      let sumB0 = zero, sumB1 = zero, weightB0 = zero, weightB1 = zero;
      for (let i = 0; i < n; i++, at += row) {
        const v = v128.load(at);
        const inside = v128.and(f32x4.ge(v, lows), f32x4.le(v, highs));
        keptCounts = i32x4.sub(keptCounts, inside);
        const w = v128.load64_splat(weights + ((<usize>i) << 3));
        const w0 = v128.and(w, i64x2.extend_low_i32x4_s(inside)), w1 = v128.and(w, i64x2.extend_high_i32x4_s(inside));
        const u = v128.and(v, inside);
        const v0 = f64x2.promote_low_f32x4(u), v1 = f64x2.promote_low_f32x4(v128.shuffle<i64>(u, u, 1, 1));
        if (i & 1) {
          sumB0 = f64x2.add(sumB0, f64x2.mul(w0, v0)); sumB1 = f64x2.add(sumB1, f64x2.mul(w1, v1));
          weightB0 = f64x2.add(weightB0, w0); weightB1 = f64x2.add(weightB1, w1);
        } else {
          sumA0 = f64x2.add(sumA0, f64x2.mul(w0, v0)); sumA1 = f64x2.add(sumA1, f64x2.mul(w1, v1));
          weightA0 = f64x2.add(weightA0, w0); weightA1 = f64x2.add(weightA1, w1);
        }
      }
      storeRatio(mean, f64x2.add(sumA0, sumB0), f64x2.add(weightA0, weightB0), f64x2.add(sumA1, sumB1), f64x2.add(weightA1, weightB1));
      storeRatio(a, sumA0, weightA0, sumA1, weightA1);
      storeRatio(b, sumB0, weightB0, sumB1, weightB1);
    }
    v128.store64_lane(kept, v128.shuffle<i16>(keptCounts, keptCounts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
    mean += 16; a += 16; b += 16; kept += 8; coverage += 8;
  }
}

// @ts-ignore: decorator
@inline function storeRatio(out: usize, s0: v128, w0: v128, s1: v128, w1: v128): void {
  const low = f32x4.demote_f64x2_zero(f64x2.div(s0, w0)), high = f32x4.demote_f64x2_zero(f64x2.div(s1, w1));
  v128.store(out, v128.shuffle<i64>(low, high, 0, 2));
}

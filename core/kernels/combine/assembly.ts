// Combining the layers of a stack, four pixels at a time. Values are sorted by a network of minima and maxima (the same for all four
// pixels), the rejector narrows each pixel's sorted values to a range, and a second pass over the layers sums what lies in it.
// Source of the networks: Batcher 1968, AFIPS 32, 307 (bitonic merging, with the second half taken backwards so that the lesser always comes first);
// eight values are sorted in registers (19 comparisons: Knuth 1998, The Art of Computer Programming 3, 5.3.4).

const NONE: i32 = 0;
const SIGMA: i32 = 1;
const WINSOR: i32 = 2;
const MAD: i32 = 3;
const LINEAR: i32 = 4;
const PERCENTILE: i32 = 5;
const MINMAX: i32 = 6;
const ESD: i32 = 7;

/** Most rounds of κ-sigma clipping. */
const ROUNDS: i32 = 5;

// Bounds of what is kept of one pixel's sorted values: positions first … end − 1.
let first: i32 = 0;
let end: i32 = 0;

// @ts-ignore: decorator
@inline function valueAt(sorted: usize, k: i32): f64 { return <f64>load<f32>(sorted + ((<usize>k) << 4)); }

// Each rejector is as its file in core/combine, operation by operation, so that both decide alike.

function clip(sorted: usize, low: f64, high: f64): void {
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
    if (!drop(sorted, median - low * sigma, median + high * sigma)) break;
  }
}

/** Drops what lies outside least … most; false where nothing does, or nothing would be left. */
function drop(sorted: usize, least: f64, most: f64): bool {
  let nextFirst = first;
  let nextEnd = end;
  while (nextFirst < nextEnd && valueAt(sorted, nextFirst) < least) nextFirst++;
  while (nextEnd > nextFirst && valueAt(sorted, nextEnd - 1) > most) nextEnd--;
  if ((nextFirst == first && nextEnd == end) || nextEnd <= nextFirst) return false;
  first = nextFirst;
  end = nextEnd;
  return true;
}

// @ts-ignore: decorator
@inline function middleAt(sorted: usize): f64 {
  const n = end - first;
  const middle = first + (n >> 1);
  return n & 1 ? valueAt(sorted, middle) : (valueAt(sorted, middle - 1) + valueAt(sorted, middle)) / 2;
}

function winsorise(sorted: usize, low: f64, high: f64): void {
  for (let round = 0; round < ROUNDS && end - first > 1; round++) {
    const n = end - first;
    const median = middleAt(sorted);
    let sigma = 1.4826 * madAt(sorted, median, first, end);
    for (let turn = 0; turn < 10; turn++) {
      const least = median - 1.5 * sigma, most = median + 1.5 * sigma;
      let sum: f64 = 0;
      for (let i = first; i < end; i++) sum += Math.min(most, Math.max(least, valueAt(sorted, i)));
      const mean = sum / <f64>n;
      let squares: f64 = 0;
      for (let i = first; i < end; i++) {
        const d = Math.min(most, Math.max(least, valueAt(sorted, i))) - mean;
        squares += d * d;
      }
      const next = 1.134 * Math.sqrt(squares / <f64>n);
      const done = Math.abs(next - sigma) <= 0.0005 * sigma;
      sigma = next;
      if (done) break;
    }
    if (!drop(sorted, median - low * sigma, median + high * sigma)) break;
  }
}

function clipByMad(sorted: usize, low: f64, high: f64): void {
  if (end - first < 3) return;
  const median = middleAt(sorted);
  const sigma = 1.4826 * madAt(sorted, median, first, end);
  drop(sorted, median - low * sigma, median + high * sigma);
}

function clipByLine(sorted: usize, low: f64, high: f64): void {
  for (let round = 0; round < ROUNDS && end - first > 4; round++) {
    const n = end - first;
    const centre = <f64>(n - 1) / 2;
    let sum: f64 = 0, moment: f64 = 0, norm: f64 = 0;
    for (let i = 0; i < n; i++) {
      const v = valueAt(sorted, first + i), t = <f64>i - centre;
      sum += v;
      moment += t * v;
      norm += t * t;
    }
    const mean = sum / <f64>n, slope = moment / norm;
    let scatter: f64 = 0;
    for (let i = 0; i < n; i++) scatter += Math.abs(valueAt(sorted, first + i) - mean - slope * (<f64>i - centre));
    const sigma = scatter / <f64>n;
    let nextFirst = 0, nextEnd = n;
    while (nextFirst < nextEnd && mean + slope * (<f64>nextFirst - centre) - valueAt(sorted, first + nextFirst) > low * sigma) nextFirst++;
    while (nextEnd > nextFirst && valueAt(sorted, first + nextEnd - 1) - mean - slope * (<f64>(nextEnd - 1) - centre) > high * sigma) nextEnd--;
    if ((nextFirst == 0 && nextEnd == n) || nextEnd <= nextFirst) break;
    end = first + nextEnd;
    first += nextFirst;
  }
}

function trimShares(count: i32, low: f64, high: f64): void {
  trimCounts(count, <i32>Math.floor(low * <f64>count + 1e-9), <i32>Math.floor(high * <f64>count + 1e-9));
}

function trimCounts(count: i32, low: i32, high: i32): void {
  if (low + high >= count) return;
  first = low;
  end = count - high;
}

function esd(sorted: usize, count: i32, table: usize, most: i32): void {
  let from = 0, to = count, keptFrom = 0, keptTo = count;
  for (let i = 1; i <= most && to - from > 2; i++) {
    const n = to - from;
    let sum: f64 = 0;
    for (let k = from; k < to; k++) sum += valueAt(sorted, k);
    const mean = sum / <f64>n;
    let squares: f64 = 0;
    for (let k = from; k < to; k++) {
      const d = valueAt(sorted, k) - mean;
      squares += d * d;
    }
    const sigma = Math.sqrt(squares / <f64>(n - 1));
    const below = mean - valueAt(sorted, from), above = valueAt(sorted, to - 1) - mean;
    const critical = load<f64>(table + ((<usize>(i - 1)) << 3));
    if (!(critical > 0)) break;
    if (above >= below) to--;
    else from++;
    if (Math.max(above, below) > critical * sigma) {
      keptFrom = from;
      keptTo = to;
    }
  }
  first = keptFrom;
  end = keptTo;
}

/** Median distance of sorted values from … to − 1 to their median: both ways from the middle, the nearer first. */
function madAt(sorted: usize, median: f64, from: i32, to: i32): f64 {
  const n = to - from;
  let right = from + (n >> 1), left = right - 1;
  let before: f64 = 0, last: f64 = 0;
  for (let k = 0; k <= n >> 1; k++) {
    before = last;
    const down = left >= from ? median - valueAt(sorted, left) : Infinity;
    const up = right < to ? valueAt(sorted, right) - median : Infinity;
    if (down < up) {
      last = down;
      left--;
    } else {
      last = up;
      right++;
    }
  }
  return n & 1 ? last : (before + last) / 2;
}

// @ts-ignore: decorator
@inline function lesserFirst(p: usize, q: usize): void {
  const x = v128.load(p), y = v128.load(q);
  v128.store(p, f32x4.pmin(x, y));
  v128.store(q, f32x4.pmax(x, y));
}

/** Sorts each run of eight vectors; of `merging`, such as rise and then fall, or fall and then rise. */
// @ts-ignore: decorator
@inline function sortEights(at: usize, end: usize, merging: bool): void {
  for (; at < end; at += 128) {
    let v0 = v128.load(at, 0), v1 = v128.load(at, 16), v2 = v128.load(at, 32), v3 = v128.load(at, 48), v4 = v128.load(at, 64), v5 = v128.load(at, 80), v6 = v128.load(at, 96), v7 = v128.load(at, 112);
    let t: v128;
    if (merging) {
      t = f32x4.pmin(v0, v4); v4 = f32x4.pmax(v0, v4); v0 = t;
      t = f32x4.pmin(v1, v5); v5 = f32x4.pmax(v1, v5); v1 = t;
      t = f32x4.pmin(v2, v6); v6 = f32x4.pmax(v2, v6); v2 = t;
      t = f32x4.pmin(v3, v7); v7 = f32x4.pmax(v3, v7); v3 = t;
      t = f32x4.pmin(v0, v2); v2 = f32x4.pmax(v0, v2); v0 = t;
      t = f32x4.pmin(v1, v3); v3 = f32x4.pmax(v1, v3); v1 = t;
      t = f32x4.pmin(v4, v6); v6 = f32x4.pmax(v4, v6); v4 = t;
      t = f32x4.pmin(v5, v7); v7 = f32x4.pmax(v5, v7); v5 = t;
      t = f32x4.pmin(v0, v1); v1 = f32x4.pmax(v0, v1); v0 = t;
      t = f32x4.pmin(v2, v3); v3 = f32x4.pmax(v2, v3); v2 = t;
      t = f32x4.pmin(v4, v5); v5 = f32x4.pmax(v4, v5); v4 = t;
      t = f32x4.pmin(v6, v7); v7 = f32x4.pmax(v6, v7); v6 = t;
    } else {
      t = f32x4.pmin(v0, v1); v1 = f32x4.pmax(v0, v1); v0 = t;
      t = f32x4.pmin(v2, v3); v3 = f32x4.pmax(v2, v3); v2 = t;
      t = f32x4.pmin(v4, v5); v5 = f32x4.pmax(v4, v5); v4 = t;
      t = f32x4.pmin(v6, v7); v7 = f32x4.pmax(v6, v7); v6 = t;
      t = f32x4.pmin(v0, v2); v2 = f32x4.pmax(v0, v2); v0 = t;
      t = f32x4.pmin(v1, v3); v3 = f32x4.pmax(v1, v3); v1 = t;
      t = f32x4.pmin(v4, v6); v6 = f32x4.pmax(v4, v6); v4 = t;
      t = f32x4.pmin(v5, v7); v7 = f32x4.pmax(v5, v7); v5 = t;
      t = f32x4.pmin(v1, v2); v2 = f32x4.pmax(v1, v2); v1 = t;
      t = f32x4.pmin(v5, v6); v6 = f32x4.pmax(v5, v6); v5 = t;
      t = f32x4.pmin(v0, v4); v4 = f32x4.pmax(v0, v4); v0 = t;
      t = f32x4.pmin(v3, v7); v7 = f32x4.pmax(v3, v7); v3 = t;
      t = f32x4.pmin(v1, v5); v5 = f32x4.pmax(v1, v5); v1 = t;
      t = f32x4.pmin(v2, v6); v6 = f32x4.pmax(v2, v6); v2 = t;
      t = f32x4.pmin(v1, v4); v4 = f32x4.pmax(v1, v4); v1 = t;
      t = f32x4.pmin(v3, v6); v6 = f32x4.pmax(v3, v6); v3 = t;
      t = f32x4.pmin(v2, v4); v4 = f32x4.pmax(v2, v4); v2 = t;
      t = f32x4.pmin(v3, v5); v5 = f32x4.pmax(v3, v5); v3 = t;
      t = f32x4.pmin(v3, v4); v4 = f32x4.pmax(v3, v4); v3 = t;
    }
    v128.store(at, v0, 0);
    v128.store(at, v1, 16);
    v128.store(at, v2, 32);
    v128.store(at, v3, 48);
    v128.store(at, v4, 64);
    v128.store(at, v5, 80);
    v128.store(at, v6, 96);
    v128.store(at, v7, 112);
  }
}

/** Sorts four columns, `eights` runs of eight vectors from `at` on. */
function sortColumns(at: usize, eights: i32): void {
  const end = at + ((<usize>eights) << 7);
  sortEights(at, end, false);
  // Runs of `m` bytes are sorted; of each two the second is taken backwards, so that together they rise and fall. What would lie beyond the end is as large as can be.
  for (let m: usize = 128; at + m < end; m <<= 1) {
    for (let base = at; base + m < end; base += m << 1) {
      const beyond = base + (m << 1) > end ? base + (m << 1) - end : 0;
      for (let p = base + beyond, q = base + (m << 1) - 16 - beyond; p < q; p += 64, q -= 64) {
        lesserFirst(p, q); lesserFirst(p + 16, q - 16); lesserFirst(p + 32, q - 32); lesserFirst(p + 48, q - 48);
      }
    }
    for (let k = m >> 1; k >= 128; k >>= 1)
      for (let base = at; base + k < end; base += k << 1) {
        const stop = base + (k << 1) > end ? end - k : base + k;
        for (let p = base; p < stop; p += 64) {
          lesserFirst(p, p + k); lesserFirst(p + 16, p + 16 + k); lesserFirst(p + 32, p + 32 + k); lesserFirst(p + 48, p + 48 + k);
        }
      }
    sortEights(at, end, true);
  }
}

/** Fills up to whole runs of eight with what sorts last. */
// @ts-ignore: decorator
@inline function fillUp(sorted: usize, n: i32): void {
  for (let i = n; i & 7; i++) v128.store(sorted + ((<usize>i) << 4), f32x4.splat(<f32>Infinity));
}

// @ts-ignore: decorator
@inline function eightsOf(n: i32): i32 { return (n + 7) >> 3; }

// @ts-ignore: decorator
@inline function vectorAt(sorted: usize, k: i32): v128 { return v128.load(sorted + ((<usize>k) << 4)); }

// @ts-ignore: decorator
@inline function promoteHigh(v: v128): v128 { return f64x2.promote_low_f32x4(v128.shuffle<i64>(v, v, 1, 1)); }

// @ts-ignore: decorator
@inline function demote(low: v128, high: v128): v128 { return v128.shuffle<i64>(f32x4.demote_f64x2_zero(low), f32x4.demote_f64x2_zero(high), 0, 2); }

// Medians of four columns of n values, in double precision: of the first two, and of the others.
let middleLow: v128 = f64x2.splat(0), middleHigh: v128 = f64x2.splat(0);
function middles(sorted: usize, n: i32): void {
  const upper = vectorAt(sorted, n >> 1);
  middleLow = f64x2.promote_low_f32x4(upper);
  middleHigh = promoteHigh(upper);
  if (n & 1) return;
  const lower = vectorAt(sorted, (n >> 1) - 1), half = f64x2.splat(0.5);
  middleLow = f64x2.mul(f64x2.add(f64x2.promote_low_f32x4(lower), middleLow), half);
  middleHigh = f64x2.mul(f64x2.add(promoteHigh(lower), middleHigh), half);
}

/**
 * Median distances of four columns of n values to their middles (middleLow, middleHigh), as madAt: distances grow to either side, and of two sorted runs of h
 * the h-th least of all is the largest of the lesser of their pairs, one run taken backwards.
 */
let distanceLow: v128 = f64x2.splat(0), distanceHigh: v128 = f64x2.splat(0);
function middleDistances(sorted: usize, n: i32): void {
  const h = n >> 1;
  let mostLow = f64x2.splat(0), mostHigh = mostLow, leastLow = f64x2.splat(Infinity), leastHigh = leastLow;
  for (let i = 0; i < h; i++) {
    const below = vectorAt(sorted, h - 1 - i), above = vectorAt(sorted, n - 1 - i);
    const a0 = f64x2.sub(middleLow, f64x2.promote_low_f32x4(below)), a1 = f64x2.sub(middleHigh, promoteHigh(below));
    const b0 = f64x2.sub(f64x2.promote_low_f32x4(above), middleLow), b1 = f64x2.sub(promoteHigh(above), middleHigh);
    mostLow = f64x2.pmax(mostLow, f64x2.pmin(a0, b0));
    mostHigh = f64x2.pmax(mostHigh, f64x2.pmin(a1, b1));
    leastLow = f64x2.pmin(leastLow, f64x2.pmax(a0, b0));
    leastHigh = f64x2.pmin(leastHigh, f64x2.pmax(a1, b1));
  }
  const half = f64x2.splat(0.5);
  distanceLow = n & 1 ? mostLow : f64x2.mul(f64x2.add(mostLow, leastLow), half);
  distanceHigh = n & 1 ? mostHigh : f64x2.mul(f64x2.add(mostHigh, leastHigh), half);
}

/** Of which columns κ-sigma clipping surely keeps all n values, a bit each: in single precision, with room for what that may err. */
function allWithinSigma(sorted: usize, n: i32, low: f64, high: f64): i32 {
  const middle = demote(middleLow, middleHigh);
  let sum = f32x4.splat(0), squares = sum;
  const stop = sorted + ((<usize>n) << 4);
  for (let at = sorted; at < stop; at += 16) {
    const d = f32x4.sub(v128.load(at), middle);
    sum = f32x4.add(sum, d);
    squares = f32x4.add(squares, f32x4.mul(d, d));
  }
  const share = f32x4.splat(1 / <f32>n), room = f32x4.splat(1 - 1e-6 * <f32>(n + 10));
  const mean = f32x4.mul(sum, share);
  const variance = f32x4.mul(f32x4.sub(f32x4.mul(f32x4.mul(squares, share), room), f32x4.mul(mean, mean)), room);
  // What the middle lost in rounding may be much of the noise where the level is high.
  const slack = f32x4.mul(f32x4.abs(middle), f32x4.splat(6e-8));
  const below = f32x4.add(f32x4.sub(middle, v128.load(sorted)), slack), above = f32x4.add(f32x4.sub(v128.load(stop - 16), middle), slack);
  const lowest = f32x4.le(f32x4.mul(below, below), f32x4.mul(variance, f32x4.splat(<f32>(low * low))));
  const highest = f32x4.le(f32x4.mul(above, above), f32x4.mul(variance, f32x4.splat(<f32>(high * high))));
  return v128.bitmask<i32>(v128.and(lowest, highest));
}

/** Of which columns a clip by the median distance keeps all n values, a bit each, as clipByMad decides. */
function allWithinMad(sorted: usize, n: i32, low: f64, high: f64): i32 {
  middleDistances(sorted, n);
  const lows = f64x2.splat(low), highs = f64x2.splat(high), toSigma = f64x2.splat(1.4826);
  const s0 = f64x2.mul(toSigma, distanceLow), s1 = f64x2.mul(toSigma, distanceHigh);
  const least = vectorAt(sorted, 0), most = vectorAt(sorted, n - 1);
  const first = v128.and(
    f64x2.ge(f64x2.promote_low_f32x4(least), f64x2.sub(middleLow, f64x2.mul(lows, s0))),
    f64x2.le(f64x2.promote_low_f32x4(most), f64x2.add(middleLow, f64x2.mul(highs, s0))),
  );
  const second = v128.and(
    f64x2.ge(promoteHigh(least), f64x2.sub(middleHigh, f64x2.mul(lows, s1))),
    f64x2.le(promoteHigh(most), f64x2.add(middleHigh, f64x2.mul(highs, s1))),
  );
  return v128.bitmask<i64>(first) | (v128.bitmask<i64>(second) << 2);
}

/** Of which columns a rejector surely keeps all n values, a bit each; of the others narrowing shows. */
// @ts-ignore: decorator
@inline function keepsAll(rejector: i32, sorted: usize, n: i32, low: f64, high: f64): i32 {
  if (n < 3 || (rejector != SIGMA && rejector != MAD)) return 0;
  middles(sorted, n);
  return rejector == SIGMA ? allWithinSigma(sorted, n, low, high) : allWithinMad(sorted, n, low, high);
}

// @ts-ignore: decorator
@inline function medianOf(sorted: usize, from: i32, to: i32): f32 {
  const n = to - from;
  if (n < 1) return <f32>NaN;
  const middle = from + (n >> 1);
  return n & 1 ? <f32>valueAt(sorted, middle) : <f32>((valueAt(sorted, middle - 1) + valueAt(sorted, middle)) / 2);
}

/**
 * Lays four pixels' values down for sorting, those without data and those that are known to be bad (+∞) as +∞; counts those with data into
 * `coverage` (four 16-bit numbers) and returns how many of each can be used.
 */
// @ts-ignore: decorator
@inline function gather(from: usize, n: i32, row: usize, sorted: usize, coverage: usize): v128 {
  const infinite = f32x4.splat(<f32>Infinity);
  let counts = i32x4.splat(0), usable = i32x4.splat(0);
  let at = from;
  for (let i = 0; i < n; i++, at += row) {
    const v = v128.load(at);
    const finite = f32x4.lt(v, infinite);
    counts = i32x4.sub(counts, f32x4.eq(v, v));
    usable = i32x4.sub(usable, finite);
    v128.store(sorted + ((<usize>i) << 4), v128.bitselect(v, infinite, finite));
  }
  v128.store(coverage, v128.shuffle<i16>(counts, counts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
  return usable;
}

/** Weighted means of what the masks in `inner` keep: of all layers, of the even ones and of the odd ones. */
// @ts-ignore: decorator
@inline function means(from: usize, n: i32, row: usize, inner: usize, weights: usize, mean: usize, a: usize, b: usize): void {
  const zero = f64x2.splat(0);
  let sumA0 = zero, sumA1 = zero, weightA0 = zero, weightA1 = zero;
  let sumB0 = zero, sumB1 = zero, weightB0 = zero, weightB1 = zero;
  let at = from;
  for (let i = 0; i < n; i++, at += row) {
    const inside = v128.load(inner + ((<usize>i) << 4));
    const w = v128.load64_splat(weights + ((<usize>i) << 3));
    const w0 = v128.and(w, i64x2.extend_low_i32x4_s(inside)), w1 = v128.and(w, i64x2.extend_high_i32x4_s(inside));
    const u = v128.and(v128.load(at), inside);
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

// Sums of the weights of even layers and of odd ones.
let weightA: f64 = 0, weightB: f64 = 0;
function weigh(weights: usize, n: i32): void {
  weightA = 0;
  weightB = 0;
  for (let i = 0; i < n; i++)
    if (i & 1) weightB += load<f64>(weights + ((<usize>i) << 3));
    else weightA += load<f64>(weights + ((<usize>i) << 3));
}

/** `means` where every layer is kept. */
// @ts-ignore: decorator
@inline function meansOfAll(from: usize, n: i32, row: usize, weights: usize, mean: usize, a: usize, b: usize): void {
  let sumA0 = f64x2.splat(0), sumA1 = sumA0, sumB0 = sumA0, sumB1 = sumA0;
  const end = weights + ((<usize>(n & ~1)) << 3);
  let at = from;
  for (let w = weights; w < end; w += 16, at += row << 1) {
    const u = v128.load(at), v = v128.load(at + row);
    const even = v128.load64_splat(w), odd = v128.load64_splat(w, 8);
    sumA0 = f64x2.add(sumA0, f64x2.mul(even, f64x2.promote_low_f32x4(u)));
    sumA1 = f64x2.add(sumA1, f64x2.mul(even, promoteHigh(u)));
    sumB0 = f64x2.add(sumB0, f64x2.mul(odd, f64x2.promote_low_f32x4(v)));
    sumB1 = f64x2.add(sumB1, f64x2.mul(odd, promoteHigh(v)));
  }
  if (n & 1) {
    const u = v128.load(at), even = v128.load64_splat(end);
    sumA0 = f64x2.add(sumA0, f64x2.mul(even, f64x2.promote_low_f32x4(u)));
    sumA1 = f64x2.add(sumA1, f64x2.mul(even, promoteHigh(u)));
  }
  const wA = f64x2.splat(weightA), wB = f64x2.splat(weightB), all = f64x2.add(wA, wB);
  storeRatio(mean, f64x2.add(sumA0, sumB0), all, f64x2.add(sumA1, sumB1), all);
  storeRatio(a, sumA0, wA, sumA1, wA);
  storeRatio(b, sumB0, wB, sumB1, wB);
}

/** Makes what the masks do not keep samples without data. */
// @ts-ignore: decorator
@inline function markRejected(at: usize, n: i32, row: usize, inner: usize): void {
  const nothing = f32x4.splat(<f32>NaN);
  for (let i = 0; i < n; i++, at += row)
    v128.store(at, v128.bitselect(v128.load(at), nothing, v128.load(inner + ((<usize>i) << 4))));
}

/** Medians of what the masks keep of the even layers and of the odd ones. */
function halfMedians(
  from: usize, n: i32, row: usize, inner: usize, sorted: usize, scratch: usize, a: usize, b: usize,
): void {
  const infinite = f32x4.splat(<f32>Infinity);
  for (let half: usize = 0; half < 2; half++) {
    let counts = i32x4.splat(0);
    let k: usize = sorted;
    const layers = (n + 1 - <i32>half) >> 1;
    for (let i: usize = half; i < <usize>n; i += 2, k += 16) {
      const inside = v128.load(inner + (i << 4));
      counts = i32x4.sub(counts, inside);
      v128.store(k, v128.bitselect(v128.load(from + i * row), infinite, inside));
    }
    fillUp(sorted, layers);
    sortColumns(sorted, eightsOf(layers));
    const out = half == 0 ? a : b;
    v128.store(scratch, counts);
    for (let lane: usize = 0; lane < 4; lane++)
      store<f32>(out + (lane << 2), medianOf(sorted + (lane << 2), 0, load<i32>(scratch + (lane << 2))));
  }
}

/** Narrows first … end − 1 of a pixel's sorted values; the twins of the files of core/combine. */
function narrow(rejector: i32, sorted: usize, count: i32, low: f64, high: f64, table: usize, tableRow: i32): void {
  switch (rejector) {
    case SIGMA: return clip(sorted, low, high);
    case WINSOR: return winsorise(sorted, low, high);
    case MAD: return clipByMad(sorted, low, high);
    case LINEAR: return clipByLine(sorted, low, high);
    case PERCENTILE: return trimShares(count, low, high);
    case MINMAX: return trimCounts(count, <i32>low, <i32>high);
    case ESD: return esd(sorted, count, table + (((<usize>count) * <usize>tableRow) << 3), tableRow);
    default: return;
  }
}

/**
 * `cube`: n layers of `pitch` floats, pixels a multiple of 4. `weights`: n doubles. `table`: rows of doubles that a rejector looks up.
 * With `marks` what is rejected becomes samples without data. `sorted`: ⌈n/8⌉ · 8 + 3 vectors of scratch, `inner`: n more. Results: floats (mean, a, b) and 16-bit counts (kept, coverage, rejected below).
 */
export function combineBlock(
  cube: usize, n: i32, pitch: i32, pixels: i32, weights: usize, rejector: i32, low: f64, high: f64, table: usize, tableRow: i32, median: i32, marks: i32,
  sorted: usize, inner: usize,
  mean: usize, a: usize, b: usize, kept: usize, coverage: usize, below: usize,
): void {
  const row = (<usize>pitch) << 2;
  const infinite = f32x4.splat(<f32>Infinity);
  // The scratch behind the sorted values holds bounds and counts, so that the lanes need not be constants.
  const scratch = sorted + ((<usize>eightsOf(n)) << 7);
  weigh(weights, n);
  for (let p: usize = 0; p < (<usize>pixels) << 2; p += 16) {
    const usable = gather(cube + p, n, row, sorted, coverage);
    let at = cube + p;
    v128.store(scratch, usable, 32);
    let lows = infinite, highs = f32x4.neg(infinite);
    const full = v128.bitmask<i32>(i32x4.eq(usable, i32x4.splat(n))) == 15;
    if (rejector != NONE || median) {
      fillUp(sorted, n);
      sortColumns(sorted, eightsOf(n));
    }
    const sure = !full ? 0 : rejector == NONE ? 15 : keepsAll(rejector, sorted, n, low, high);
    if (sure == 15 && !median) {
      meansOfAll(at, n, row, weights, mean, a, b);
      v128.store64_lane(kept, v128.load(coverage), 0);
      store<u64>(below, 0);
      mean += 16; a += 16; b += 16; kept += 8; coverage += 8; below += 8;
      continue;
    }
    if (rejector == NONE) {
      lows = f32x4.neg(infinite);
      highs = f32x4.splat(f32.MAX_VALUE);
      if (median)
        for (let lane: usize = 0; lane < 4; lane++)
          store<f32>(mean + (lane << 2), medianOf(sorted + (lane << 2), 0, load<i32>(scratch + (lane << 2), 32)));
    } else {
      for (let lane: usize = 0; lane < 4; lane++) {
        const column = sorted + (lane << 2);
        first = 0;
        end = load<i32>(scratch + (lane << 2), 32);
        if (!((sure >> <i32>lane) & 1)) narrow(rejector, column, end, low, high, table, tableRow);
        // What is kept is decided by value below: equal ones stay together.
        while (first > 0 && end > first && valueAt(column, first - 1) == valueAt(column, first)) first--;
        while (end > first && end < load<i32>(scratch + (lane << 2), 32) && valueAt(column, end) == valueAt(column, end - 1)) end++;
        if (median) store<f32>(mean + (lane << 2), medianOf(column, first, end));
        const bounds = scratch + (lane << 2);
        store<f32>(bounds, end > first ? load<f32>(column + ((<usize>first) << 4)) : <f32>Infinity);
        store<f32>(bounds, end > first ? load<f32>(column + ((<usize>(end - 1)) << 4)) : <f32>(-Infinity), 16);
      }
      lows = v128.load(scratch);
      highs = v128.load(scratch, 16);
    }
    let keptCounts = i32x4.splat(0), belowCounts = i32x4.splat(0);
    for (let i = 0; i < n; i++, at += row) {
      const v = v128.load(at);
      const inside = v128.and(f32x4.ge(v, lows), f32x4.le(v, highs));
      keptCounts = i32x4.sub(keptCounts, inside);
      belowCounts = i32x4.sub(belowCounts, f32x4.lt(v, lows));
      v128.store(inner + ((<usize>i) << 4), inside);
    }
    if (median) halfMedians(cube + p, n, row, inner, sorted, scratch, a, b);
    else means(cube + p, n, row, inner, weights, mean, a, b);
    if (marks) markRejected(cube + p, n, row, inner);
    v128.store64_lane(kept, v128.shuffle<i16>(keptCounts, keptCounts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
    v128.store64_lane(below, v128.shuffle<i16>(belowCounts, belowCounts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
    mean += 16; a += 16; b += 16; kept += 8; coverage += 8; below += 8;
  }
}

/** Median and median distance to it of the values that can be used, four pixels at a time; `coverage` is scratch of a vector. */
export function centreBlock(
  cube: usize, n: i32, pitch: i32, pixels: i32, sorted: usize, coverage: usize, median: usize, spread: usize,
): void {
  const row = (<usize>pitch) << 2;
  const scratch = sorted + ((<usize>eightsOf(n)) << 7);
  for (let p: usize = 0; p < (<usize>pixels) << 2; p += 16) {
    const usable = gather(cube + p, n, row, sorted, coverage);
    fillUp(sorted, n);
    sortColumns(sorted, eightsOf(n));
    if (v128.bitmask<i32>(i32x4.eq(usable, i32x4.splat(n))) == 15) {
      middles(sorted, n);
      const middle = demote(middleLow, middleHigh);
      v128.store(median + p, middle);
      // Distances are to the median as it is stored.
      middleLow = f64x2.promote_low_f32x4(middle);
      middleHigh = promoteHigh(middle);
      middleDistances(sorted, n);
      v128.store(spread + p, demote(distanceLow, distanceHigh));
      continue;
    }
    v128.store(scratch, usable);
    for (let lane: usize = 0; lane < 4; lane++) {
      const column = sorted + (lane << 2);
      const count = load<i32>(scratch + (lane << 2));
      const middle = medianOf(column, 0, count);
      store<f32>(median + p + (lane << 2), middle);
      store<f32>(spread + p + (lane << 2), count > 0 ? <f32>madAt(column, <f64>middle, 0, count) : <f32>NaN);
    }
  }
}

/**
 * Keeps what lies within its own expected scatter of the centre, in single precision, as keepExpected in plain.ts. `layers`: noise, signal
 * and blur of each layer and, last, of a typical one, each four times over, as floats. `planes`: centre, spread, curvature, slope, `pitch` apart.
 */
export function expectedBlock(
  cube: usize, n: i32, pitch: i32, pixels: i32, weights: usize, layers: usize, planes: usize, sky: f32, low: f32, high: f32, median: i32, marks: i32,
  sorted: usize, inner: usize,
  mean: usize, a: usize, b: usize, kept: usize, coverage: usize, below: usize,
): void {
  const row = (<usize>pitch) << 2;
  const infinite = f32x4.splat(<f32>Infinity);
  const scratch = sorted + ((<usize>eightsOf(n)) << 7);
  weigh(weights, n);
  const lows = f32x4.splat(low * low), highs = f32x4.splat(high * high);
  const one = f32x4.splat(1), zero = f32x4.splat(0), toSigma = f32x4.splat(1.4826), skies = f32x4.splat(sky);
  for (let p: usize = 0; p < (<usize>pixels) << 2; p += 16) {
    const centre = v128.load(planes + p), spread = v128.load(planes + p + row);
    const curvature = v128.load(planes + p + 2 * row), slope = v128.load(planes + p + 3 * row);
    const light = f32x4.pmax(zero, f32x4.sub(centre, skies));
    const own = layers + ((<usize>n) * 48);
    const typical = varianceOf(own, light, curvature, slope);
    const sigma = f32x4.mul(toSigma, spread);
    const share = f32x4.pmax(one, f32x4.div(f32x4.mul(sigma, sigma), typical));
    const lowLimit = f32x4.mul(lows, share), highLimit = f32x4.mul(highs, share);
    let counts = i32x4.splat(0), keptCounts = i32x4.splat(0), belowCounts = i32x4.splat(0);
    let at = cube + p;
    for (let i = 0; i < n; i++, at += row) {
      const v = v128.load(at);
      const d = f32x4.sub(v, centre);
      const limit = f32x4.mul(v128.bitselect(lowLimit, highLimit, f32x4.lt(d, zero)), varianceOf(layers + ((<usize>i) * 48), light, curvature, slope));
      const inside = v128.and(f32x4.le(f32x4.mul(d, d), limit), f32x4.lt(v, infinite));
      counts = i32x4.sub(counts, f32x4.eq(v, v));
      keptCounts = i32x4.sub(keptCounts, inside);
      belowCounts = i32x4.sub(belowCounts, v128.andnot(f32x4.lt(d, zero), inside));
      v128.store(inner + ((<usize>i) << 4), inside);
    }
    v128.store(coverage, v128.shuffle<i16>(counts, counts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
    if (median) {
      at = cube + p;
      for (let i = 0; i < n; i++, at += row)
        v128.store(sorted + ((<usize>i) << 4), v128.bitselect(v128.load(at), infinite, v128.load(inner + ((<usize>i) << 4))));
      fillUp(sorted, n);
      sortColumns(sorted, eightsOf(n));
      v128.store(scratch, keptCounts);
      for (let lane: usize = 0; lane < 4; lane++)
        store<f32>(mean + (lane << 2), medianOf(sorted + (lane << 2), 0, load<i32>(scratch + (lane << 2))));
      halfMedians(cube + p, n, row, inner, sorted, scratch, a, b);
    } else if (v128.bitmask<i32>(i32x4.eq(keptCounts, i32x4.splat(n))) == 15) meansOfAll(cube + p, n, row, weights, mean, a, b);
    else means(cube + p, n, row, inner, weights, mean, a, b);
    if (marks) markRejected(cube + p, n, row, inner);
    v128.store64_lane(kept, v128.shuffle<i16>(keptCounts, keptCounts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
    v128.store64_lane(below, v128.shuffle<i16>(belowCounts, belowCounts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
    mean += 16; a += 16; b += 16; kept += 8; coverage += 8; below += 8;
  }
}

// @ts-ignore: decorator
@inline function varianceOf(layer: usize, light: v128, curvature: v128, slope: v128): v128 {
  return f32x4.add(
    f32x4.add(v128.load(layer), f32x4.mul(v128.load(layer, 16), light)),
    f32x4.add(f32x4.mul(v128.load(layer, 32), curvature), slope),
  );
}

// @ts-ignore: decorator
@inline function storeRatio(out: usize, s0: v128, w0: v128, s1: v128, w1: v128): void {
  const low = f32x4.demote_f64x2_zero(f64x2.div(s0, w0)), high = f32x4.demote_f64x2_zero(f64x2.div(s1, w1));
  v128.store(out, v128.shuffle<i64>(low, high, 0, 2));
}

// Combining the layers of a stack, four pixels at a time. Values are sorted by a network of minima and maxima (the same for all four
// pixels), the rejector narrows each pixel's sorted values to a range, and a second pass over the layers sums what lies in it.
// Source of the network: Batcher 1968, AFIPS 32, 307 (odd–even merge); the caller lays its pairs down.

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

/** Medians of what the masks keep of the even layers and of the odd ones. */
function halfMedians(
  from: usize, n: i32, row: usize, inner: usize, sorted: usize, pairs: usize, pairCount: i32, scratch: usize, a: usize, b: usize,
): void {
  const infinite = f32x4.splat(<f32>Infinity);
  for (let half: usize = 0; half < 2; half++) {
    let counts = i32x4.splat(0);
    let k: usize = sorted;
    for (let i: usize = half; i < <usize>n; i += 2, k += 16) {
      const inside = v128.load(inner + (i << 4));
      counts = i32x4.sub(counts, inside);
      v128.store(k, v128.bitselect(v128.load(from + i * row), infinite, inside));
    }
    // With an odd number of layers half B is one short.
    if (half == 1 && n & 1) v128.store(k, infinite);
    sortColumns(sorted, pairs, pairCount);
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
 * `cube`: n layers of `pitch` floats, pixels a multiple of 4. `weights`: n doubles. `table`: rows of doubles that a rejector looks up. `pairs`: the network for n values, then (where
 * medians are asked for) that for ⌈n/2⌉. `sorted`: n + 3 vectors of scratch, `inner`: n more. Results: floats (mean, a, b) and 16-bit counts (kept, coverage, rejected below).
 */
export function combineBlock(
  cube: usize, n: i32, pitch: i32, pixels: i32, weights: usize, rejector: i32, low: f64, high: f64, table: usize, tableRow: i32, median: i32,
  pairs: usize, pairCount: i32, halfPairs: usize, halfPairCount: i32, sorted: usize, inner: usize,
  mean: usize, a: usize, b: usize, kept: usize, coverage: usize, below: usize,
): void {
  const row = (<usize>pitch) << 2;
  const infinite = f32x4.splat(<f32>Infinity);
  for (let p: usize = 0; p < (<usize>pixels) << 2; p += 16) {
    const usable = gather(cube + p, n, row, sorted, coverage);
    let at = cube + p;
    // The scratch behind the sorted values holds bounds and counts, so that the lanes need not be constants.
    const scratch = sorted + ((<usize>n) << 4);
    v128.store(scratch, usable, 32);
    let lows = infinite, highs = f32x4.neg(infinite);
    if (rejector != NONE || median) sortColumns(sorted, pairs, pairCount);
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
        narrow(rejector, column, end, low, high, table, tableRow);
        // What is kept is told by value below: equal ones stay together.
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
    if (median) halfMedians(cube + p, n, row, inner, sorted, halfPairs, halfPairCount, scratch, a, b);
    else means(cube + p, n, row, inner, weights, mean, a, b);
    v128.store64_lane(kept, v128.shuffle<i16>(keptCounts, keptCounts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
    v128.store64_lane(below, v128.shuffle<i16>(belowCounts, belowCounts, 0, 2, 4, 6, 0, 2, 4, 6), 0);
    mean += 16; a += 16; b += 16; kept += 8; coverage += 8; below += 8;
  }
}

/** Median and median distance to it of the values that can be used, four pixels at a time; `coverage` is scratch of a vector. */
export function centreBlock(
  cube: usize, n: i32, pitch: i32, pixels: i32, pairs: usize, pairCount: i32, sorted: usize, coverage: usize, median: usize, spread: usize,
): void {
  const row = (<usize>pitch) << 2;
  const scratch = sorted + ((<usize>n) << 4);
  for (let p: usize = 0; p < (<usize>pixels) << 2; p += 16) {
    v128.store(scratch, gather(cube + p, n, row, sorted, coverage));
    sortColumns(sorted, pairs, pairCount);
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
  cube: usize, n: i32, pitch: i32, pixels: i32, weights: usize, layers: usize, planes: usize, sky: f32, low: f32, high: f32, median: i32,
  pairs: usize, pairCount: i32, halfPairs: usize, halfPairCount: i32, sorted: usize, inner: usize,
  mean: usize, a: usize, b: usize, kept: usize, coverage: usize, below: usize,
): void {
  const row = (<usize>pitch) << 2;
  const infinite = f32x4.splat(<f32>Infinity);
  const scratch = sorted + ((<usize>n) << 4);
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
      sortColumns(sorted, pairs, pairCount);
      v128.store(scratch, keptCounts);
      for (let lane: usize = 0; lane < 4; lane++)
        store<f32>(mean + (lane << 2), medianOf(sorted + (lane << 2), 0, load<i32>(scratch + (lane << 2))));
      halfMedians(cube + p, n, row, inner, sorted, halfPairs, halfPairCount, scratch, a, b);
    } else means(cube + p, n, row, inner, weights, mean, a, b);
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

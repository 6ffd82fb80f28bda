// Order statistics without branches on data: the value of a rank is found by counting how many values lie at or below a guess, a few times, four
// at once. Floats are compared as integers of the same order.

// @ts-ignore: decorator
@inline function keyOf(bits: i32): i32 { return bits ^ ((bits >> 31) & 0x7fffffff); }

let least: i32, most: i32;

/** Integers in the order of n floats (no NaN), and their range. Three more are written, above all. */
function writeKeys(values: usize, keys: usize, n: i32): void {
  const size = (<usize>n) << 2;
  const mask = i32x4.splat(0x7fffffff);
  let low = i32x4.splat(0x7fffffff), high = i32x4.splat(-0x80000000);
  let i: usize = 0;
  for (; i + 16 <= size; i += 16) {
    const bits = v128.load(values + i);
    const key = v128.xor(bits, v128.and(i32x4.shr_s(bits, 31), mask));
    v128.store(keys + i, key);
    low = i32x4.min_s(low, key);
    high = i32x4.max_s(high, key);
  }
  least = min(min(i32x4.extract_lane(low, 0), i32x4.extract_lane(low, 1)), min(i32x4.extract_lane(low, 2), i32x4.extract_lane(low, 3)));
  most = max(max(i32x4.extract_lane(high, 0), i32x4.extract_lane(high, 1)), max(i32x4.extract_lane(high, 2), i32x4.extract_lane(high, 3)));
  for (; i < size; i += 4) {
    const key = keyOf(load<i32>(values + i));
    store<i32>(keys + i, key);
    least = min(least, key);
    most = max(most, key);
  }
  for (let k = 0; k < 3; k++) store<i32>(keys + size + ((<usize>k) << 2), 0x7fffffff);
}

/** How many of n keys are at most `key` (below the largest there is). */
function countUpTo(keys: usize, n: i32, key: i32): i32 {
  const end = keys + ((<usize>n) << 2);
  const limit = i32x4.splat(key);
  let a = i32x4.splat(0), b = i32x4.splat(0);
  let at = keys;
  for (; at + 32 <= end; at += 32) {
    a = i32x4.add(a, i32x4.le_s(v128.load(at), limit));
    b = i32x4.add(b, i32x4.le_s(v128.load(at, 16), limit));
  }
  for (; at < end; at += 16) a = i32x4.add(a, i32x4.le_s(v128.load(at), limit));
  a = i32x4.add(a, b);
  return -(i32x4.extract_lane(a, 0) + i32x4.extract_lane(a, 1) + i32x4.extract_lane(a, 2) + i32x4.extract_lane(a, 3));
}

/** So few candidates are sorted. */
const FEW: i32 = 24;
const pocket = memory.data(4 * 24);

/**
 * The key of a rank among n keys between `least` and `most`. Guesses by proportion, a little to either side of the rank in turn, so that both ends close in
 * on it; by halves where that did not help; and the few candidates that are left are sorted.
 */
function keyOfRank(keys: usize, n: i32, rank: i32): i32 {
  // `below` keys lie below `low`, and `upTo` at or below `high`: the rank is between them.
  let low = <i64>least, high = <i64>most;
  let below: i32 = 0, upTo = n;
  let side: f64 = 1;
  let byHalves = false;
  while (low < high && upTo - below > FEW) {
    const wide = high - low;
    const span = <f64>(upTo - below);
    const share = (<f64>(rank - below) + 0.5 + side * Math.sqrt(span)) / span;
    const step = byHalves ? wide >> 1 : <i64>(<f64>wide * share);
    const guess = low + min(max(step, 0), wide - 1);
    const count = countUpTo(keys, n, <i32>guess);
    if (count > rank) { high = guess; upTo = count; }
    else { low = guess + 1; below = count; }
    byHalves = !byHalves && <f64>(upTo - below) > 0.5 * span;
    side = -side;
  }
  return low < high ? keyAmongFew(keys, n, <i32>low, <i32>high, rank - below) : <i32>low;
}

/** The key of a rank among the keys from `low` to `high`, at most FEW. */
function keyAmongFew(keys: usize, n: i32, low: i32, high: i32, rank: i32): i32 {
  const end = keys + ((<usize>n) << 2);
  const from = i32x4.splat(low), to = i32x4.splat(high);
  let found: usize = 0;
  for (let at = keys; at < end; at += 16) {
    const key = v128.load(at);
    if (!v128.any_true(v128.and(i32x4.ge_s(key, from), i32x4.le_s(key, to)))) continue;
    for (let one = at; one < min(end, at + 16); one += 4) {
      const own = load<i32>(one);
      if (own < low || own > high) continue;
      let place = found;
      for (; place > 0 && load<i32>(pocket + ((place - 1) << 2)) > own; place--)
        store<i32>(pocket + (place << 2), load<i32>(pocket + ((place - 1) << 2)));
      store<i32>(pocket + (place << 2), own);
      found++;
    }
  }
  return load<i32>(pocket + ((<usize>rank) << 2));
}

// @ts-ignore: decorator
@inline function floatOf(key: i32): f32 { return reinterpret<f32>(keyOf(key)); }

/** Mean of the two middle ones for an even n. */
function medianOf(values: usize, keys: usize, n: i32): f64 {
  writeKeys(values, keys, n);
  const upper = keyOfRank(keys, n, n >> 1);
  if (n & 1) return <f64>floatOf(upper);
  return (<f64>floatOf(keyBefore(keys, n, upper)) + <f64>floatOf(upper)) / 2;
}

/** The key of the rank before n / 2, given that one's. */
function keyBefore(keys: usize, n: i32, upper: i32): i32 {
  const end = keys + ((<usize>n) << 2);
  const limit = i32x4.splat(upper), none = i32x4.splat(-0x80000000);
  let count = i32x4.splat(0), top = none;
  for (let at = keys; at < end; at += 16) {
    const key = v128.load(at);
    const isBelow = i32x4.lt_s(key, limit);
    count = i32x4.add(count, isBelow);
    top = i32x4.max_s(top, v128.bitselect(key, none, isBelow));
  }
  const below = -(i32x4.extract_lane(count, 0) + i32x4.extract_lane(count, 1) + i32x4.extract_lane(count, 2) + i32x4.extract_lane(count, 3));
  if (below < n >> 1) return upper;
  return max(max(i32x4.extract_lane(top, 0), i32x4.extract_lane(top, 1)), max(i32x4.extract_lane(top, 2), i32x4.extract_lane(top, 3)));
}

/** The value of a rank (from 0) among n floats without NaN; `keys`: room for n + 3 integers. */
export function selectRank(values: usize, keys: usize, n: i32, rank: i32): f32 {
  writeKeys(values, keys, n);
  return floatOf(keyOfRank(keys, n, rank));
}

/** Median and median absolute deviation of n floats without NaN, as two doubles; the floats become their distances from the median. */
export function medianSpread(values: usize, keys: usize, n: i32, out: usize): void {
  const centre = medianOf(values, keys, n);
  for (let i: usize = 0; i < (<usize>n) << 2; i += 4) store<f32>(values + i, <f32>Math.abs(<f64>load<f32>(values + i) - centre));
  store<f64>(out, centre);
  store<f64>(out, medianOf(values, keys, n), 8);
}

/**
 * Clips n floats without NaN at ±kappa σ about their median until nothing more goes or `rounds` rounds are done; returns how many are left, with their mean,
 * median and population σ as three doubles. What is kept moves to the front.
 */
export function clippedMoments(values: usize, keys: usize, n: i32, kappa: f64, rounds: i32, out: usize): i32 {
  for (let round = 0; n > 0; round++) {
    const centre = medianOf(values, keys, n);
    const size = (<usize>n) << 2;
    let sum: f64 = 0;
    for (let i: usize = 0; i < size; i += 4) sum += <f64>load<f32>(values + i);
    const mean = sum / <f64>n;
    let squares: f64 = 0;
    for (let i: usize = 0; i < size; i += 4) { const d = <f64>load<f32>(values + i) - mean; squares += d * d; }
    const sigma = Math.sqrt(squares / <f64>n);
    store<f64>(out, mean);
    store<f64>(out, centre, 8);
    store<f64>(out, sigma, 16);
    if (round >= rounds) break;
    const limit = kappa * sigma;
    let left = 0;
    for (let i: usize = 0; i < size; i += 4) {
      const v = load<f32>(values + i);
      store<f32>(values + ((<usize>left) << 2), v);
      left += <i32>(Math.abs(<f64>v - centre) <= limit);
    }
    if (left == n) break;
    n = left;
  }
  return n;
}

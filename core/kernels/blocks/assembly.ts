// Block matching with 8 × 8 blocks: pitches are floats, addresses bytes.
// Source: Dabov, Foi, Katkovnik & Egiazarian 2007, IEEE TIP 16, 2080.

// @ts-ignore: decorator
@inline
function squares(a: usize, b: usize): v128 {
  const p = f32x4.sub(v128.load(a), v128.load(b));
  const q = f32x4.sub(v128.load(a, 16), v128.load(b, 16));
  return f32x4.add(f32x4.mul(p, p), f32x4.mul(q, q));
}

// @ts-ignore: decorator
@inline
function across(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + (f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3));
}

/**
 * The most alike blocks of a plane to the one at (x, y), itself first: `places` gets their first pixels (in floats from `plane`), `fars` their squared differences, in order; of equals the one
 * that comes first. Gives how many there are, at most `count`.
 */
export function findAlike(plane: usize, p: i32, w: i32, h: i32, x: i32, y: i32, search: i32, count: i32, places: usize, fars: usize): i32 {
  const pitch = (<usize>p) << 2;
  const at = y * p + x;
  const here = plane + ((<usize>at) << 2);
  store<i32>(places, at);
  store<f32>(fars, -1.0);
  let found = 1;
  let least: f32 = f32.MAX_VALUE;
  const bottom = min(h - 8, y + search), right = min(w - 8, x + search);
  const left = max(0, x - search);
  for (let v = max(0, y - search); v <= bottom; v++) {
    for (let u = left; u <= right; u++) {
      const other = v * p + u;
      if (other == at) continue;
      let a = here, b = plane + ((<usize>other) << 2);
      let sum = f32x4.add(squares(a, b), squares(a + pitch, b + pitch));
      a += pitch << 1; b += pitch << 1;
      sum = f32x4.add(sum, f32x4.add(squares(a, b), squares(a + pitch, b + pitch)));
      if (across(sum) > least) continue;
      a += pitch << 1; b += pitch << 1;
      sum = f32x4.add(sum, f32x4.add(squares(a, b), squares(a + pitch, b + pitch)));
      a += pitch << 1; b += pitch << 1;
      sum = f32x4.add(sum, f32x4.add(squares(a, b), squares(a + pitch, b + pitch)));
      const far = across(sum);
      if (found == count && far >= least) continue;
      let k = found < count ? found++ : count - 1;
      while (k > 1 && load<f32>(fars + ((<usize>(k - 1)) << 2)) > far) {
        store<f32>(fars + ((<usize>k) << 2), load<f32>(fars + ((<usize>(k - 1)) << 2)));
        store<i32>(places + ((<usize>k) << 2), load<i32>(places + ((<usize>(k - 1)) << 2)));
        k--;
      }
      store<f32>(fars + ((<usize>k) << 2), far);
      store<i32>(places + ((<usize>k) << 2), other);
      if (found == count) least = load<f32>(fars + ((<usize>(count - 1)) << 2));
    }
  }
  return found;
}

/** to ← m · from · t for 8 × 8 matrices, `from` of a pitch in bytes: with m the cosines and t their transpose the transform, the other way round its inverse. */
function product(from: usize, pitch: usize, m: usize, t: usize, to: usize, scratch: usize): void {
  for (let row: usize = 0; row < 8; row++) {
    let p = f32x4.splat(0.0), q = f32x4.splat(0.0);
    for (let i: usize = 0; i < 8; i++) {
      const by = v128.load32_splat(m + (row << 5) + (i << 2));
      p = f32x4.add(p, f32x4.mul(by, v128.load(from + i * pitch)));
      q = f32x4.add(q, f32x4.mul(by, v128.load(from + i * pitch + 16)));
    }
    v128.store(scratch + (row << 5), p);
    v128.store(scratch + (row << 5) + 16, q);
  }
  for (let row: usize = 0; row < 8; row++) {
    let p = f32x4.splat(0.0), q = f32x4.splat(0.0);
    for (let i: usize = 0; i < 8; i++) {
      const by = v128.load32_splat(scratch + (row << 5) + (i << 2));
      p = f32x4.add(p, f32x4.mul(by, v128.load(t + (i << 5))));
      q = f32x4.add(q, f32x4.mul(by, v128.load(t + (i << 5) + 16)));
    }
    v128.store(to + (row << 5), p);
    v128.store(to + (row << 5) + 16, q);
  }
}

const HALF: f32 = 0.70710678118654752;

/** One level of Haar wavelets over `length` blocks, or back, with as much room in `scratch`. */
function haarLevel(stack: usize, length: i32, isBack: bool, scratch: usize): void {
  const half = length >> 1, k = f32x4.splat(HALF);
  for (let n: i32 = 0; n < half; n++) {
    // Neighbours 2 n and 2 n + 1 on the one side, n and n + half on the other.
    const first = (<usize>n) << 9, next = first + 256, sum = (<usize>n) << 8, difference = sum + ((<usize>half) << 8);
    const a = stack + (isBack ? sum : first), b = stack + (isBack ? difference : next);
    const c = scratch + (isBack ? first : sum), d = scratch + (isBack ? next : difference);
    for (let i: usize = 0; i < 256; i += 16) {
      const p = v128.load(a + i), q = v128.load(b + i);
      v128.store(c + i, f32x4.mul(f32x4.add(p, q), k));
      v128.store(d + i, f32x4.mul(f32x4.sub(p, q), k));
    }
  }
  memory.copy(stack, scratch, (<usize>length) << 8);
}

/** Blocks at `places` of a plane as cosines, and their stack as Haar wavelets. */
export function gather(plane: usize, p: i32, places: usize, count: i32, cosines: usize, transposed: usize, stack: usize, scratch: usize): void {
  for (let k = 0; k < count; k++) {
    const from = plane + ((<usize>load<i32>(places + ((<usize>k) << 2))) << 2);
    product(from, (<usize>p) << 2, cosines, transposed, stack + ((<usize>k) << 8), scratch);
  }
  for (let length = count; length > 1; length >>= 1) haarLevel(stack, length, false, scratch);
}

/** Weighs each coefficient of `noisy` by s²/(s² + variance), s of `shown`; or keeps it where s² exceeds `limit` variances, for a limit ≥ 0. Gives the variance that is left. */
export function weigh(noisy: usize, shown: usize, variance: usize, count: i32, limit: f32): f32 {
  let left = f32x4.splat(0.0);
  const isHard = limit >= 0.0, most = f32x4.splat(limit), one = f32x4.splat(1.0);
  for (let k = 0; k < count; k++) {
    const at = (<usize>k) << 8;
    for (let i: usize = 0; i < 256; i += 16) {
      const s = v128.load(shown + at + i), v = v128.load(variance + i);
      const power = f32x4.mul(s, s);
      const gain = isHard ? v128.and(one, f32x4.gt(power, f32x4.mul(most, v))) : f32x4.div(power, f32x4.add(power, v));
      v128.store(noisy + at + i, f32x4.mul(v128.load(noisy + at + i), gain));
      left = f32x4.add(left, f32x4.mul(f32x4.mul(gain, gain), v));
    }
  }
  return across(left);
}

/** Turns a stack back into blocks and adds them where they came from, by a window times `weight`. */
export function spread(stack: usize, places: usize, count: i32, cosines: usize, transposed: usize, window: usize, weight: f32, sums: usize, weights: usize, p: i32, scratch: usize): void {
  for (let length = 2; length <= count; length <<= 1) haarLevel(stack, length, true, scratch);
  const pitch = (<usize>p) << 2, by = f32x4.splat(weight), block = scratch + 256;
  for (let k = 0; k < count; k++) {
    product(stack + ((<usize>k) << 8), 32, transposed, cosines, block, scratch);
    const at = (<usize>load<i32>(places + ((<usize>k) << 2))) << 2;
    for (let row: usize = 0; row < 8; row++)
      for (let i: usize = 0; i < 32; i += 16) {
        const to = at + row * pitch + i;
        const w = f32x4.mul(by, v128.load(window + (row << 5) + i));
        v128.store(sums + to, f32x4.add(v128.load(sums + to), f32x4.mul(w, v128.load(block + (row << 5) + i))));
        v128.store(weights + to, f32x4.add(v128.load(weights + to), w));
      }
  }
}

/** sums ← sums/weights, row by row. */
export function settle(sums: usize, weights: usize, w: i32, h: i32, p: i32): void {
  for (let y = 0; y < h; y++) {
    const row = (<usize>(y * p)) << 2;
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16)
      v128.store(sums + row + x, f32x4.div(v128.load(sums + row + x), v128.load(weights + row + x)));
  }
}

/** All blocks of a row of the grid, at `count` places along x. `pilot` is `plane` for a limit ≥ 0. */
export function matchRow(plane: usize, pilot: usize, p: i32, w: i32, h: i32, y: i32, xs: usize, columns: i32, search: i32, group: i32, limit: f32, tables: usize, work: usize, sums: usize, weights: usize): void {
  const cosines = tables, transposed = tables + 256, window = tables + 512, variance = tables + 768;
  const places = work, fars = work + 256;
  const noisy = work + 512, shown = noisy + ((<usize>group) << 8), scratch = shown + ((<usize>group) << 8);
  for (let n = 0; n < columns; n++) {
    let count = findAlike(pilot, p, w, h, load<i32>(xs + ((<usize>n) << 2)), y, search, group, places, fars);
    // A power of two.
    let size = group;
    while (size > count) size >>= 1;
    count = size;
    gather(plane, p, places, count, cosines, transposed, noisy, scratch);
    if (limit < 0.0) gather(pilot, p, places, count, cosines, transposed, shown, scratch);
    const left = weigh(noisy, limit < 0.0 ? shown : noisy, variance, count, limit);
    spread(noisy, places, count, cosines, transposed, window, <f32>1.0 / max<f32>(left, <f32>1e-20), sums, weights, p, scratch);
  }
}

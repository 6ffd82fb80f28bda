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
function laneOf(v: v128, l: i32): f32 {
  if (l == 0) return f32x4.extract_lane(v, 0);
  if (l == 1) return f32x4.extract_lane(v, 1);
  return l == 2 ? f32x4.extract_lane(v, 2) : f32x4.extract_lane(v, 3);
}

// @ts-ignore: decorator
@inline
function across(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + (f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3));
}

/** 0, −1, 1, −2, 2 …: near blocks are the likeliest to be alike, and few are put in front of them later. */
// @ts-ignore: decorator
@inline
function outward(k: i32): i32 { return k & 1 ? -((k + 1) >> 1) : k >> 1; }

/** Puts a block into a list, from number k of it on forward to where it belongs; of equals the earlier comes first, and the block itself stays first. */
function enlist(places: usize, fars: usize, k: i32, other: i32, far: f32): void {
  while (k > 1 && load<f32>(fars + ((<usize>(k - 1)) << 2)) > far) {
    store<f32>(fars + ((<usize>k) << 2), load<f32>(fars + ((<usize>(k - 1)) << 2)));
    store<i32>(places + ((<usize>k) << 2), load<i32>(places + ((<usize>(k - 1)) << 2)));
    k--;
  }
  store<f32>(fars + ((<usize>k) << 2), far);
  store<i32>(places + ((<usize>k) << 2), other);
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
  for (let j = 0; j <= 2 * search; j++) {
    const v = y + outward(j);
    if (v < 0 || v > h - 8) continue;
    for (let i = 0; i <= 2 * search; i++) {
      const u = x + outward(i);
      if (u < 0 || u > w - 8) continue;
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
      enlist(places, fars, found < count ? found++ : count - 1, other, far);
      if (found == count) least = load<f32>(fars + ((<usize>(count - 1)) << 2));
    }
  }
  return found;
}

// Where blocks lie 4 px apart, those of a row look for alike ones together: squared differences are summed over cells of 4 × 4 px, of which a block has four
// and shares them with its neighbours, and those of a row's lower cells are the next row's upper ones.
let gridX: i32 = 0, gridCount: i32 = 0, cellsAt: usize = 0, listsAt: usize = 0, lastY: i32 = i32.MIN_VALUE;

const LIST: usize = 64;

/** `count` blocks from `x` on lie 4 px apart. `cells`: room for (2 search + 1)² + 1 rows of count + 8 floats; `lists`: count + 4 floats, as many integers, and 128 numbers a block. */
export function blocksGrid(x: i32, count: i32, cells: usize, lists: usize): void {
  gridX = x; gridCount = count; cellsAt = cells; listsAt = lists; lastY = i32.MIN_VALUE;
}

// @ts-ignore: decorator
@inline
function cellsRow(): usize { return (<usize>(gridCount + 8)) << 2; }

// @ts-ignore: decorator
@inline
function leastAt(n: i32): usize { return listsAt + ((<usize>n) << 2); }

// @ts-ignore: decorator
@inline
function foundAt(n: i32): usize { return listsAt + ((<usize>(gridCount + 4 + n)) << 2); }

// @ts-ignore: decorator
@inline
function listAt(n: i32): usize { return listsAt + ((<usize>(2 * gridCount + 8)) << 2) + (<usize>n * LIST << 3); }

// @ts-ignore: decorator
@inline
function cellColumns(a: usize, b: usize, pitch: usize): v128 {
  const p = f32x4.sub(v128.load(a), v128.load(b)), q = f32x4.sub(v128.load(a + pitch), v128.load(b + pitch));
  a += pitch << 1; b += pitch << 1;
  const r = f32x4.sub(v128.load(a), v128.load(b)), s = f32x4.sub(v128.load(a + pitch), v128.load(b + pitch));
  return f32x4.add(f32x4.add(f32x4.mul(p, p), f32x4.mul(q, q)), f32x4.add(f32x4.mul(r, r), f32x4.mul(s, s)));
}

/** Squared differences of the cells whose first row begins at `a` to those at `b`, one cell more than there are blocks. */
function cellsOf(a: usize, b: usize, pitch: usize, to: usize): void {
  for (const end = to + cellsRow() - 16; to < end; to += 16, a += 64, b += 64) {
    const c0 = cellColumns(a, b, pitch), c1 = cellColumns(a + 16, b + 16, pitch);
    const p = f32x4.add(v128.shuffle<i32>(c0, c1, 0, 4, 1, 5), v128.shuffle<i32>(c0, c1, 2, 6, 3, 7));
    const c2 = cellColumns(a + 32, b + 32, pitch), c3 = cellColumns(a + 48, b + 48, pitch);
    const q = f32x4.add(v128.shuffle<i32>(c2, c3, 0, 4, 1, 5), v128.shuffle<i32>(c2, c3, 2, 6, 3, 7));
    v128.store(to, f32x4.add(v128.shuffle<i64>(p, q, 0, 2), v128.shuffle<i64>(p, q, 1, 3)));
  }
}

/** The lists of alike blocks of all blocks of the grid's row y. */
function findAlikeTogether(plane: usize, p: i32, w: i32, h: i32, y: i32, search: i32, count: i32): void {
  const pitch = (<usize>p) << 2, row = cellsRow(), side = 2 * search + 1;
  const lower = cellsAt + <usize>(side * side) * row;
  for (let n = 0; n < gridCount; n++) {
    store<f32>(leastAt(n), f32.MAX_VALUE);
    store<i32>(foundAt(n), 1);
    store<i32>(listAt(n), y * p + gridX + 4 * n);
    store<f32>(listAt(n) + (LIST << 2), -1.0);
  }
  const here = plane + ((<usize>(y * p + gridX)) << 2);
  for (let j = 0; j < side; j++) {
    const v = outward(j);
    if (y + v < 0 || y + v > h - 8) continue;
    const isKnown = lastY == y - 4 && lastY + v >= 0;
    for (let i = 0; i < side; i++) {
      const u = outward(i);
      const upper = cellsAt + <usize>((v + search) * side + u + search) * row;
      const there = here + <usize>((v * p + u) << 2);
      if (!isKnown) cellsOf(here, there, pitch, upper);
      cellsOf(here + 4 * pitch, there + 4 * pitch, pitch, lower);
      // Blocks whose other one lies in the picture.
      const from = max(0, (3 - gridX - u) >> 2), end = min(gridCount, ((w - 8 - gridX - u) >> 2) + 1);
      if (u != 0 || v != 0)
        for (let n = from & ~3; n < end; n += 4) {
          const at = (<usize>n) << 2;
          const far = f32x4.add(
            f32x4.add(v128.load(upper + at), v128.load(upper + at, 4)),
            f32x4.add(v128.load(lower + at), v128.load(lower + at, 4)),
          );
          const near = v128.bitmask<i32>(f32x4.lt(far, v128.load(leastAt(n))));
          if (near)
            for (let l = 0; l < 4; l++)
              if ((near >> l) & 1 && n + l >= from && n + l < end) {
                const list = listAt(n + l), fars = list + (LIST << 2), found = load<i32>(foundAt(n + l));
                enlist(list, fars, found < count ? found : count - 1, (y + v) * p + gridX + 4 * (n + l) + u, laneOf(far, l));
                if (found < count) store<i32>(foundAt(n + l), found + 1);
                if (found + 1 >= count) store<f32>(leastAt(n + l), load<f32>(fars + ((<usize>(count - 1)) << 2)));
              }
        }
      // The lower cells are the upper ones of the next row.
      memory.copy(upper, lower, row);
    }
  }
  lastY = y;
}

// The cosine transform of 8 by sums and differences of its ends: the even ones are a transform of 4, the odd ones a symmetric 4 × 4 matrix.
// Constants, a vector of each: √(1/8), then cos(k π/16)/2 for k = 1 … 7.
const C0: usize = 0, C1: usize = 16, C2: usize = 32, C3: usize = 48, C5: usize = 80, C6: usize = 96, C7: usize = 112;

// @ts-ignore: decorator
@inline
function times(v: v128, cosines: usize, at: usize): v128 { return f32x4.mul(v, v128.load(cosines + at)); }

// @ts-ignore: decorator
@inline
function four(a: v128, b: v128, c: v128, d: v128): v128 { return f32x4.add(f32x4.add(a, b), f32x4.add(c, d)); }

// The rows of the odd matrix, each times (a, b, c, d).
// @ts-ignore: decorator
@inline
function odd1(a: v128, b: v128, c: v128, d: v128, k: usize): v128 { return four(times(a, k, C1), times(b, k, C3), times(c, k, C5), times(d, k, C7)); }

// @ts-ignore: decorator
@inline
function odd3(a: v128, b: v128, c: v128, d: v128, k: usize): v128 {
  return f32x4.sub(f32x4.sub(times(a, k, C3), times(b, k, C7)), f32x4.add(times(c, k, C1), times(d, k, C5)));
}

// @ts-ignore: decorator
@inline
function odd5(a: v128, b: v128, c: v128, d: v128, k: usize): v128 {
  return f32x4.add(f32x4.sub(times(a, k, C5), times(b, k, C1)), f32x4.add(times(c, k, C7), times(d, k, C3)));
}

// @ts-ignore: decorator
@inline
function odd7(a: v128, b: v128, c: v128, d: v128, k: usize): v128 {
  return f32x4.add(f32x4.sub(times(a, k, C7), times(b, k, C5)), f32x4.sub(times(c, k, C3), times(d, k, C1)));
}

/** Four rows of four, stored as columns. */
// @ts-ignore: decorator
@inline
function storeTurned(a: v128, b: v128, c: v128, d: v128, to: usize): void {
  const p = v128.shuffle<i32>(a, b, 0, 4, 1, 5), q = v128.shuffle<i32>(a, b, 2, 6, 3, 7);
  const r = v128.shuffle<i32>(c, d, 0, 4, 1, 5), s = v128.shuffle<i32>(c, d, 2, 6, 3, 7);
  v128.store(to, v128.shuffle<i64>(p, r, 0, 2));
  v128.store(to, v128.shuffle<i64>(p, r, 1, 3), 32);
  v128.store(to, v128.shuffle<i64>(q, s, 0, 2), 64);
  v128.store(to, v128.shuffle<i64>(q, s, 1, 3), 96);
}

/** Eight vectors as rows of a block at `to`, or, turned, as its columns. */
// @ts-ignore: decorator
@inline
function storeEight(a: v128, b: v128, c: v128, d: v128, e: v128, f: v128, g: v128, h: v128, isTurned: bool, to: usize): void {
  if (isTurned) {
    storeTurned(a, b, c, d, to);
    storeTurned(e, f, g, h, to + 16);
    return;
  }
  v128.store(to, a); v128.store(to, b, 32); v128.store(to, c, 64); v128.store(to, d, 96);
  v128.store(to, e, 128); v128.store(to, f, 160); v128.store(to, g, 192); v128.store(to, h, 224);
}

/** Cosine transforms of four columns of eight rows. */
// @ts-ignore: decorator
@inline
function toCosines(from: usize, pitch: usize, k: usize, isTurned: bool, to: usize): void {
  const x0 = v128.load(from), x1 = v128.load(from + pitch), x2 = v128.load(from + 2 * pitch), x3 = v128.load(from + 3 * pitch);
  from += pitch << 2;
  const x4 = v128.load(from), x5 = v128.load(from + pitch), x6 = v128.load(from + 2 * pitch), x7 = v128.load(from + 3 * pitch);
  const s0 = f32x4.add(x0, x7), s1 = f32x4.add(x1, x6), s2 = f32x4.add(x2, x5), s3 = f32x4.add(x3, x4);
  const d0 = f32x4.sub(x0, x7), d1 = f32x4.sub(x1, x6), d2 = f32x4.sub(x2, x5), d3 = f32x4.sub(x3, x4);
  const e0 = f32x4.add(s0, s3), e1 = f32x4.add(s1, s2), f0 = f32x4.sub(s0, s3), f1 = f32x4.sub(s1, s2);
  storeEight(
    times(f32x4.add(e0, e1), k, C0), odd1(d0, d1, d2, d3, k), f32x4.add(times(f0, k, C2), times(f1, k, C6)), odd3(d0, d1, d2, d3, k),
    times(f32x4.sub(e0, e1), k, C0), odd5(d0, d1, d2, d3, k), f32x4.sub(times(f0, k, C6), times(f1, k, C2)), odd7(d0, d1, d2, d3, k),
    isTurned, to,
  );
}

/** Four columns of eight rows back from their cosine transforms. */
// @ts-ignore: decorator
@inline
function fromCosines(from: usize, k: usize, isTurned: bool, to: usize): void {
  const x0 = times(v128.load(from), k, C0), x4 = times(v128.load(from, 128), k, C0), x2 = v128.load(from, 64), x6 = v128.load(from, 192);
  const x1 = v128.load(from, 32), x3 = v128.load(from, 96), x5 = v128.load(from, 160), x7 = v128.load(from, 224);
  const p = f32x4.add(x0, x4), q = f32x4.sub(x0, x4);
  const r = f32x4.add(times(x2, k, C2), times(x6, k, C6)), t = f32x4.sub(times(x2, k, C6), times(x6, k, C2));
  const e0 = f32x4.add(p, r), e1 = f32x4.add(q, t), e2 = f32x4.sub(q, t), e3 = f32x4.sub(p, r);
  const o0 = odd1(x1, x3, x5, x7, k), o1 = odd3(x1, x3, x5, x7, k), o2 = odd5(x1, x3, x5, x7, k), o3 = odd7(x1, x3, x5, x7, k);
  storeEight(
    f32x4.add(e0, o0), f32x4.add(e1, o1), f32x4.add(e2, o2), f32x4.add(e3, o3),
    f32x4.sub(e3, o3), f32x4.sub(e2, o2), f32x4.sub(e1, o1), f32x4.sub(e0, o0),
    isTurned, to,
  );
}

/** A block as cosines: rows are those along x. */
function transform(from: usize, pitch: usize, cosines: usize, to: usize, scratch: usize): void {
  for (let half: usize = 0; half < 2; half++) toCosines(from + (half << 4), pitch, cosines, true, scratch + (half << 7));
  for (let half: usize = 0; half < 32; half += 16) toCosines(scratch + half, 32, cosines, false, to + half);
}

/** A block back from its cosines. */
function restore(from: usize, cosines: usize, to: usize, scratch: usize): void {
  for (let half: usize = 0; half < 2; half++) fromCosines(from + (half << 4), cosines, true, scratch + (half << 7));
  for (let half: usize = 0; half < 32; half += 16) fromCosines(scratch + half, cosines, false, to + half);
}

const HALF: f32 = 0.70710678118654752;

/** A stack of `count` blocks (a power of two) as Haar wavelets, where it lies: sums stay with the first of two blocks, differences with the second. Two levels at a time. */
function toHaar(stack: usize, count: i32): void {
  const end = stack + ((<usize>count) << 8);
  let apart: usize = 256;
  for (; stack + (apart << 1) < end; apart <<= 2)
    for (let a = stack; a < end; a += apart << 2) haarOfFour(a, apart, false);
  if (stack + apart < end) haarOfTwo(stack, stack + apart);
}

function fromHaar(stack: usize, count: i32): void {
  const end = stack + ((<usize>count) << 8);
  let apart: usize = 256;
  while (stack + (apart << 1) < end) apart <<= 2;
  if (stack + apart < end) haarOfTwo(stack, stack + apart);
  for (apart >>= 2; apart >= 256; apart >>= 2)
    for (let a = stack; a < end; a += apart << 2) haarOfFour(a, apart, true);
}

/** One level of two blocks, which undoes itself. */
function haarOfTwo(a: usize, b: usize): void {
  const k = f32x4.splat(HALF);
  for (const end = a + 256; a < end; a += 16, b += 16) {
    const p = v128.load(a), q = v128.load(b);
    v128.store(a, f32x4.mul(f32x4.add(p, q), k));
    v128.store(b, f32x4.mul(f32x4.sub(p, q), k));
  }
}

/** Two levels of four blocks `apart`, or back. */
// @ts-ignore: decorator
@inline
function haarOfFour(a: usize, apart: usize, isBack: bool): void {
  const k = f32x4.splat(HALF), half = f32x4.splat(0.5);
  let b = a + apart, c = b + apart, d = c + apart;
  for (const end = a + 256; a < end; a += 16, b += 16, c += 16, d += 16) {
    const p = v128.load(a), q = v128.load(b), r = v128.load(c), s = v128.load(d);
    if (isBack) {
      const first = f32x4.mul(half, f32x4.add(p, r)), second = f32x4.mul(half, f32x4.sub(p, r)), t = f32x4.mul(k, q), u = f32x4.mul(k, s);
      v128.store(a, f32x4.add(first, t));
      v128.store(b, f32x4.sub(first, t));
      v128.store(c, f32x4.add(second, u));
      v128.store(d, f32x4.sub(second, u));
    } else {
      const first = f32x4.add(p, q), second = f32x4.add(r, s);
      v128.store(a, f32x4.mul(half, f32x4.add(first, second)));
      v128.store(b, f32x4.mul(k, f32x4.sub(p, q)));
      v128.store(c, f32x4.mul(half, f32x4.sub(first, second)));
      v128.store(d, f32x4.mul(k, f32x4.sub(r, s)));
    }
  }
}

/** Blocks at `places` of a plane as cosines, and their stack as Haar wavelets. */
export function gather(plane: usize, p: i32, places: usize, count: i32, cosines: usize, stack: usize, scratch: usize): void {
  for (let k = 0; k < count; k++)
    transform(plane + ((<usize>load<i32>(places + ((<usize>k) << 2))) << 2), (<usize>p) << 2, cosines, stack + ((<usize>k) << 8), scratch);
  toHaar(stack, count);
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
export function spread(stack: usize, places: usize, count: i32, cosines: usize, window: usize, weight: f32, sums: usize, weights: usize, p: i32, scratch: usize): void {
  fromHaar(stack, count);
  const pitch = (<usize>p) << 2, by = f32x4.splat(weight), block = scratch + 256;
  for (let k = 0; k < count; k++) {
    restore(stack + ((<usize>k) << 8), cosines, block, scratch);
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

/** All blocks of a row of the grid, at `columns` places along x. `tables`: constants, window, and the variance of coefficients, rows along x; 64 floats each. `pilot` is `plane` for a limit ≥ 0. */
export function matchRow(plane: usize, pilot: usize, p: i32, w: i32, h: i32, y: i32, xs: usize, columns: i32, search: i32, group: i32, limit: f32, tables: usize, work: usize, sums: usize, weights: usize): void {
  const cosines = tables, window = tables + 256, variance = tables + 512;
  const noisy = work + 512, shown = noisy + ((<usize>group) << 8), scratch = shown + ((<usize>group) << 8);
  if (gridCount > 0) findAlikeTogether(pilot, p, w, h, y, search, group);
  for (let n = 0; n < columns; n++) {
    const x = load<i32>(xs + ((<usize>n) << 2));
    const k = (x - gridX) >> 2;
    const isOfGrid = x >= gridX && k < gridCount && ((x - gridX) & 3) == 0;
    const places = isOfGrid ? listAt(k) : work;
    let count = isOfGrid ? load<i32>(foundAt(k)) : findAlike(pilot, p, w, h, x, y, search, group, work, work + 256);
    // A power of two.
    let size = group;
    while (size > count) size >>= 1;
    count = size;
    gather(plane, p, places, count, cosines, noisy, scratch);
    if (limit < 0.0) gather(pilot, p, places, count, cosines, shown, scratch);
    const left = weigh(noisy, limit < 0.0 ? shown : noisy, variance, count, limit);
    spread(noisy, places, count, cosines, window, <f32>1.0 / max<f32>(left, <f32>1e-20), sums, weights, p, scratch);
  }
}

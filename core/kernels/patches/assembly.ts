// Non-local means and the bilateral filter on planes that carry their mirrored margin.
// Sources: Buades, Coll & Morel 2005; Darbon et al. 2008 (sums over patches, offset by offset); Tomasi & Manduchi 1998.

import { exp, exp2 } from "../exp.assembly";

/**
 * Non-local means of w × h pixels, written to `out` (pitch `outPitch`). An offset (dx, dy), dy > 0 or dy = 0 < dx, and its opposite go together: a pixel and the one at the offset weigh the same for one
 * another. `src` points at pixel (0, 0) of a plane of pitch p with a margin of patch + search px and 8 more to the right; weights are 2^(−factor · max(0, mean square − noiseDistance)).
 * `room` holds 3 h + 4 patch + 4 rows of q floats, q a multiple of 4, ≥ w + search + 2 patch + 8. Whatever tile a pixel lies in, its sums are added up in the same order.
 */
export function nonLocalTile(src: usize, p: i32, w: i32, h: i32, patch: i32, search: i32, factor: f32, noiseDistance: f32, out: usize, outPitch: i32, room: usize, q: i32): void {
  const step = (<usize>q) << 2, plane = <usize>h * step;
  memory.fill(room, 0, 3 * plane);
  for (let dy = 0; dy <= search; dy++)
    for (let dx = dy > 0 ? -search : 1; dx <= search; dx++) nonLocalPair(src, p, w, h, dx, dy, patch, factor, noiseDistance, room, q, room + 3 * plane);
  const zero = f32x4.splat(0.0), one = f32x4.splat(1.0);
  for (let y = 0; y < h; y++) {
    const row = room + <usize>y * step, here = src + <usize>y * ((<usize>p) << 2), to = out + <usize>y * ((<usize>outPitch) << 2);
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
      const most = v128.load(row + 2 * plane + x);
      const own = v128.bitselect(most, one, f32x4.gt(most, zero));
      const sum = f32x4.add(v128.load(row + x), f32x4.mul(own, v128.load(here + x)));
      v128.store(to + x, f32x4.div(sum, f32x4.add(v128.load(row + plane + x), own)));
    }
  }
}

/**
 * The squares of differences, row by row in a ring of 2 patch + 1 rows, kept twice so that those of a patch lie in their order, are summed over patches (anew for each row: running sums would keep what
 * rounding leaves of a bright star), and the weighted pixels, the weights and the largest weight added to the three planes at `sums`.
 */
function nonLocalPair(src: usize, p: i32, w: i32, h: i32, dx: i32, dy: i32, patch: i32, factor: f32, noiseDistance: f32, sums: usize, q: i32, ring: usize): void {
  const step = (<usize>q) << 2;
  const rows = 2 * patch + 1, turn = <usize>rows * step;
  // Pixels from x0 on, `reach` more than the row: those whose opposite lies in it.
  const x0 = dx > 0 ? -dx : 0, reach = dx > 0 ? dx : -dx;
  const end = ((<usize>(w + reach + 2 * patch)) + 3) >> 2 << 4, weighed = ((<usize>(w + reach)) + 3) >> 2 << 4;
  const column = ring + 2 * turn, line = column + step;
  const zero = f32x4.splat(0.0), k = f32x4.splat(-factor / <f32>(rows * rows)), less = f32x4.splat(factor * noiseDistance);
  const offset = <usize>((<isize>dy * <isize>p + <isize>dx) << 2);
  const first = -dy - patch;
  const forward = line + ((<usize>(-x0)) << 2), backward = line + ((<usize>(-dx - x0)) << 2);
  for (let v = first; v < h + patch; v++) {
    const from = src + <usize>((<isize>v * <isize>p + <isize>(x0 - patch)) << 2);
    const into = ring + <usize>((v - first) % rows) * step;
    for (let x: usize = 0; x < end; x += 16) {
      const d = f32x4.sub(v128.load(from + x), v128.load(from + offset + x));
      const square = f32x4.mul(d, d);
      v128.store(into + x, square);
      v128.store(into + turn + x, square);
    }
    const y = v - patch;
    if (y < -dy) continue;
    const top = ring + <usize>((y - patch - first) % rows) * step;
    if (patch == 2) {
      const under = 2 * step, last = 4 * step;
      for (let at = top, x: usize = 0; x < end; x += 16, at += 16)
        v128.store(column + x, five(v128.load(at), v128.load(at + step), v128.load(at + under), v128.load(at + under + step), v128.load(at + last)));
      for (let x: usize = 0; x < weighed; x += 16) {
        const at = column + x;
        const sum = five(v128.load(at), v128.load(at, 4), v128.load(at, 8), v128.load(at, 12), v128.load(at, 16));
        v128.store(line + x, exp2(f32x4.pmin(zero, f32x4.add(f32x4.mul(sum, k), less))));
      }
    } else {
      for (let x: usize = 0; x < end; x += 16) v128.store(column + x, sumOf(top + x, step, rows));
      for (let x: usize = 0; x < weighed; x += 16)
        v128.store(line + x, exp2(f32x4.pmin(zero, f32x4.add(f32x4.mul(sumOf(column + x, 4, rows), k), less))));
    }
    const here = src + <usize>((<isize>y * <isize>p) << 2);
    // First the pixels at the offset, then those that they are at the offset of: in one order wherever the picture is cut.
    const other = <usize>(y + dy) * step, opposite = here - <usize>((<isize>dx) << 2);
    if (y + dy < h) addWeighted(sums + other, <usize>h * step, opposite, backward, w);
    if (y >= 0) addWeighted(sums + <usize>y * step, <usize>h * step, here + offset, forward, w);
  }
}

// @ts-ignore: decorator
@inline
function five(a: v128, b: v128, c: v128, d: v128, e: v128): v128 {
  return f32x4.add(f32x4.add(f32x4.add(a, b), f32x4.add(c, d)), e);
}

/** The sum of vectors that lie `stride` bytes apart. */
// @ts-ignore: decorator
@inline
function sumOf(at: usize, stride: usize, rows: i32): v128 {
  let sum = v128.load(at);
  for (let n = 1; n < rows; n++) {
    at += stride;
    sum = f32x4.add(sum, v128.load(at));
  }
  return sum;
}

// @ts-ignore: decorator
@inline
function addWeighted(sums: usize, plane: usize, pixels: usize, weights: usize, w: i32): void {
  const weighed = sums + plane, most = weighed + plane;
  for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
    const weight = v128.load(weights + x);
    v128.store(sums + x, f32x4.add(v128.load(sums + x), f32x4.mul(weight, v128.load(pixels + x))));
    v128.store(weighed + x, f32x4.add(v128.load(weighed + x), weight));
    v128.store(most + x, f32x4.pmax(v128.load(most + x), weight));
  }
}

/** Of each of `count` offsets (in floats, with the logarithm of its weight): sums of weighted pixels over sums of weights, into rows of pitch q. */
export function bilateralInto(src: usize, p: i32, w: i32, h: i32, offsets: usize, logs: usize, count: i32, factor: f32, out: usize, q: i32): void {
  const k = f32x4.splat(factor);
  for (let y = 0; y < h; y++) {
    const row = out + <usize>y * ((<usize>q) << 2), here = src + <usize>y * ((<usize>p) << 2);
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
      const centre = v128.load(here + x);
      let sum = f32x4.splat(0.0), weights = f32x4.splat(0.0);
      for (let n = 0; n < count; n++) {
        const value = v128.load(here + x + <usize>(<isize>load<i32>(offsets + ((<usize>n) << 2)) << 2));
        const d = f32x4.sub(value, centre);
        const weight = exp(f32x4.add(v128.load32_splat(logs + ((<usize>n) << 2)), f32x4.mul(k, f32x4.mul(d, d))));
        sum = f32x4.add(sum, f32x4.mul(weight, value));
        weights = f32x4.add(weights, weight);
      }
      v128.store(row + x, f32x4.div(sum, weights));
    }
  }
}

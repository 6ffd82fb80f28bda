// Non-local means and the bilateral filter on planes that carry their mirrored margin.
// Sources: Buades, Coll & Morel 2005; Darbon et al. 2008 (sums over patches, offset by offset); Tomasi & Manduchi 1998.

import { exp } from "../exp.assembly";

/**
 * Non-local means for an offset (dx, dy) and its opposite, dy > 0 or dy = 0 < dx: a pixel and the one at the offset weigh the same for one another. The squares of differences, row by row in a ring of
 * 2 patch + 1 rows, kept twice so that those of a patch lie in their order, are summed over patches (anew for each row: running sums would keep what rounding leaves of a bright star), and the weighted
 * pixels added to `sums`, `weights`, `most`. `src` points at pixel (0, 0) of a plane of pitch p with a margin of patch + search px and 8 more to the right. `ring` holds 4 patch + 4 rows of pitch q, which is
 * a multiple of 4, ≥ w + |dx| + 2 patch + 8, as are the rows of the sums.
 */
export function nonLocalPair(src: usize, p: i32, w: i32, h: i32, dx: i32, dy: i32, patch: i32, factor: f32, spared: f32, sums: usize, weights: usize, most: usize, q: i32, ring: usize): void {
  const pitch = (<usize>p) << 2, step = (<usize>q) << 2;
  const rows = 2 * patch + 1, turn = <usize>rows * step;
  // Pixels from x0 on, `reach` more than the row: those whose opposite lies in it.
  const x0 = dx > 0 ? -dx : 0, reach = dx > 0 ? dx : -dx;
  const end = ((<usize>(w + reach + 2 * patch)) + 3) >> 2 << 4, weighed = ((<usize>(w + reach)) + 3) >> 2 << 4;
  const column = ring + 2 * turn, line = column + step;
  const zero = f32x4.splat(0.0), k = f32x4.splat(factor), less = f32x4.splat(spared);
  const inverse = f32x4.splat(1.0 / <f32>(rows * rows));
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
      for (let x: usize = 0; x < end; x += 16) {
        const at = top + x;
        const two = f32x4.add(v128.load(at), v128.load(at + step)), more = f32x4.add(v128.load(at + 2 * step), v128.load(at + 3 * step));
        v128.store(column + x, f32x4.add(f32x4.add(two, more), v128.load(at + 4 * step)));
      }
    } else {
      for (let x: usize = 0; x < end; x += 16) {
        let at = top + x;
        let sum = v128.load(at);
        for (let n = 1; n < rows; n++) {
          at += step;
          sum = f32x4.add(sum, v128.load(at));
        }
        v128.store(column + x, sum);
      }
    }
    for (let x: usize = 0; x < weighed; x += 16) {
      let squares = v128.load(column + x);
      for (let u: usize = 4; u <= (<usize>patch) << 3; u += 4) squares = f32x4.add(squares, v128.load(column + x + u));
      const far = f32x4.max(zero, f32x4.sub(f32x4.mul(squares, inverse), less));
      v128.store(line + x, exp(f32x4.mul(far, k)));
    }
    const here = src + <usize>((<isize>y * <isize>p) << 2);
    // First the pixels at the offset, then those that they are at the offset of: in one order wherever the picture is cut.
    const other = <usize>(y + dy) * step, opposite = here - <usize>((<isize>dx) << 2);
    if (y + dy < h) {
      for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
        const weight = v128.load(backward + x);
        v128.store(sums + other + x, f32x4.add(v128.load(sums + other + x), f32x4.mul(weight, v128.load(opposite + x))));
        v128.store(weights + other + x, f32x4.add(v128.load(weights + other + x), weight));
        v128.store(most + other + x, f32x4.pmax(v128.load(most + other + x), weight));
      }
    }
    if (y < 0) continue;
    const row = <usize>y * step;
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
      const weight = v128.load(forward + x);
      v128.store(sums + row + x, f32x4.add(v128.load(sums + row + x), f32x4.mul(weight, v128.load(here + offset + x))));
      v128.store(weights + row + x, f32x4.add(v128.load(weights + row + x), weight));
      v128.store(most + row + x, f32x4.pmax(v128.load(most + row + x), weight));
    }
  }
}

/** sums ← (sums + most · src)/(weights + most), with 1 for a `most` of 0. */
export function nonLocalEnd(src: usize, p: i32, w: i32, h: i32, sums: usize, weights: usize, most: usize, q: i32): void {
  const zero = f32x4.splat(0.0), one = f32x4.splat(1.0);
  for (let y = 0; y < h; y++) {
    const row = <usize>y * ((<usize>q) << 2), here = src + <usize>y * ((<usize>p) << 2);
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
      const best = v128.load(most + row + x);
      const own = v128.bitselect(best, one, f32x4.gt(best, zero));
      const sum = f32x4.add(v128.load(sums + row + x), f32x4.mul(own, v128.load(here + x)));
      v128.store(sums + row + x, f32x4.div(sum, f32x4.add(v128.load(weights + row + x), own)));
    }
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

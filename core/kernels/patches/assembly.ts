// Non-local means and the bilateral filter on planes that carry their mirrored margin.
// Sources: Buades, Coll & Morel 2005; Darbon et al. 2008 (sums over patches, offset by offset); Tomasi & Manduchi 1998.

import { exp } from "../exp.assembly";

/**
 * Non-local means for one offset (dx, dy): the squares of differences, row by row in a ring of 2 patch + 1 rows, are summed over patches (anew for each row: running sums
 * would keep what rounding leaves of a bright star), and the weighted pixels added to `sums`, `weights`, `most`. `src` points at pixel (0, 0) of a plane of pitch p with a margin of
 * patch + search px and 8 more to the right. `ring` holds 2 patch + 2 rows of pitch q, which is a multiple of 4, ≥ w + 2 patch + 8, as are the rows of the sums.
 */
export function nonLocalStep(src: usize, p: i32, w: i32, h: i32, dx: i32, dy: i32, patch: i32, factor: f32, spared: f32, sums: usize, weights: usize, most: usize, q: i32, ring: usize): void {
  const pitch = (<usize>p) << 2, step = (<usize>q) << 2;
  const rows = 2 * patch + 1;
  const end = ((<usize>(w + 2 * patch)) + 3) >> 2 << 4;
  const column = ring + <usize>rows * step;
  const zero = f32x4.splat(0.0), k = f32x4.splat(factor), less = f32x4.splat(spared);
  const inverse = f32x4.splat(1.0 / <f32>(rows * rows));
  const offset = <usize>((<isize>dy * <isize>p + <isize>dx) << 2);
  for (let v = -patch; v < h + patch; v++) {
    const from = src + <usize>((<isize>v * <isize>p - <isize>patch) << 2);
    const into = ring + <usize>((v + patch) % rows) * step;
    for (let x: usize = 0; x < end; x += 16) {
      const d = f32x4.sub(v128.load(from + x), v128.load(from + offset + x));
      v128.store(into + x, f32x4.mul(d, d));
    }
    const y = v - patch;
    if (y < 0) continue;
    // In the order of the rows, wherever the ring begins.
    let line = ring + <usize>(y % rows) * step;
    for (let x: usize = 0; x < end; x += 16) v128.store(column + x, v128.load(line + x));
    for (let n = 1; n < rows; n++) {
      line += step;
      if (line == column) line = ring;
      for (let x: usize = 0; x < end; x += 16) v128.store(column + x, f32x4.add(v128.load(column + x), v128.load(line + x)));
    }
    const row = <usize>y * step;
    const here = src + offset + <usize>y * pitch;
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
      let squares = v128.load(column + x);
      for (let u: usize = 4; u <= (<usize>patch) << 3; u += 4) squares = f32x4.add(squares, v128.load(column + x + u));
      const far = f32x4.max(zero, f32x4.sub(f32x4.mul(squares, inverse), less));
      const weight = exp(f32x4.mul(far, k));
      v128.store(sums + row + x, f32x4.add(v128.load(sums + row + x), f32x4.mul(weight, v128.load(here + x))));
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

// Convolution of a real picture with a fixed transfer function, and the two pointwise steps of Richardson–Lucy between
// two convolutions, in sweeps that each read and write a pixel once.
//
// Packing: column x (left half) is the real part and column x + W/2 the imaginary part of one complex column, so the
// transform along y handles two real columns at a time. Row ky of the packed spectrum Z is untangled with its partner
// row −ky:  F(left, ky) = (Z(ky) + conj Z(−ky)) / 2,  F(right, ky) = (Z(ky) − conj Z(−ky)) / 2i.
//
// Pictures: pitch `up` floats, W × H, zero outside the data. Z: two planes of H rows with pitch `zp`, W/2 used.
// Transfer: for each group of 4 rows ky, W vectors re then W vectors im, in the digit-reversed order of `dif`.
import { dif, dit } from "./fft.assembly";

// @ts-ignore: decorator
@inline function storeSpectrum(re: usize, im: usize, zre: usize, zim: usize, zp: usize, h: i32): void {
  for (let y = 0; y < h; y++) {
    v128.store(zre, v128.load(re));
    v128.store(zim, v128.load(im));
    zre += zp; zim += zp; re += 16; im += 16;
  }
}
// @ts-ignore: decorator
@inline function loadSpectrum(re: usize, im: usize, zre: usize, zim: usize, zp: usize, h: i32): void {
  for (let y = 0; y < h; y++) {
    v128.store(re, v128.load(zre));
    v128.store(im, v128.load(zim));
    zre += zp; zim += zp; re += 16; im += 16;
  }
}

/** Columns of `u` forward into Z. */
export function forwardColumns(u: usize, up: i32, zre: usize, zim: usize, zp: i32, w: i32, h: i32, plan: usize, scratch: usize): void {
  const half = (<usize>(w >> 1)) << 2, rowU = (<usize>up) << 2, rowZ = (<usize>zp) << 2;
  const re = scratch, im = scratch + ((<usize>h) << 4);
  for (let x: usize = 0; x < half; x += 16) {
    let p = u + x;
    for (let y: usize = 0; y < (<usize>h) << 4; y += 16) {
      v128.store(re + y, v128.load(p));
      v128.store(im + y, v128.load(p + half));
      p += rowU;
    }
    dif(re, im, h, plan);
    storeSpectrum(re, im, zre + x, zim + x, rowZ, h);
  }
}

/** Columns of Z back to a picture. */
export function inverseColumns(u: usize, up: i32, zre: usize, zim: usize, zp: i32, w: i32, h: i32, plan: usize, scratch: usize): void {
  const half = (<usize>(w >> 1)) << 2, rowU = (<usize>up) << 2, rowZ = (<usize>zp) << 2;
  const re = scratch, im = scratch + ((<usize>h) << 4);
  for (let x: usize = 0; x < half; x += 16) {
    loadSpectrum(re, im, zre + x, zim + x, rowZ, h);
    dit(im, re, h, plan);
    let p = u + x;
    for (let y: usize = 0; y < (<usize>h) << 4; y += 16) {
      v128.store(p, v128.load(re + y));
      v128.store(p + half, v128.load(im + y));
      p += rowU;
    }
  }
}

/** Columns of Z back to the blurred estimate b, then data / max(b, floor), then forward into Z again. */
export function ratioColumns(data: usize, up: i32, floor: f32, zre: usize, zim: usize, zp: i32, w: i32, h: i32, plan: usize, scratch: usize): void {
  const half = (<usize>(w >> 1)) << 2, rowU = (<usize>up) << 2, rowZ = (<usize>zp) << 2;
  const re = scratch, im = scratch + ((<usize>h) << 4);
  const least = f32x4.splat(floor);
  for (let x: usize = 0; x < half; x += 16) {
    loadSpectrum(re, im, zre + x, zim + x, rowZ, h);
    dit(im, re, h, plan);
    let p = data + x;
    for (let y: usize = 0; y < (<usize>h) << 4; y += 16) {
      v128.store(re + y, f32x4.div(v128.load(p), f32x4.max(v128.load(re + y), least)));
      v128.store(im + y, f32x4.div(v128.load(p + half), f32x4.max(v128.load(im + y), least)));
      p += rowU;
    }
    dif(re, im, h, plan);
    storeSpectrum(re, im, zre + x, zim + x, rowZ, h);
  }
}

// @ts-ignore: decorator
@inline function dampedRatio(d: v128, b: v128, inverse: v128, least: v128): v128 {
  const one = f32x4.splat(1.0), off = f32x4.sub(d, b);
  const u = f32x4.min(one, f32x4.mul(inverse, f32x4.mul(off, off)));
  const u2 = f32x4.mul(u, u), u4 = f32x4.mul(u2, u2), u9 = f32x4.mul(f32x4.mul(u4, u4), u);
  const by = f32x4.mul(u9, f32x4.sub(f32x4.splat(10.0), f32x4.mul(f32x4.splat(9.0), u)));
  return f32x4.add(one, f32x4.mul(by, f32x4.sub(f32x4.div(d, f32x4.max(b, least)), one)));
}

/** As ratioColumns, the ratio damped where the blurred estimate is near the data. */
export function dampedColumns(data: usize, inverse: usize, up: i32, floor: f32, zre: usize, zim: usize, zp: i32, w: i32, h: i32, plan: usize, scratch: usize): void {
  const half = (<usize>(w >> 1)) << 2, rowU = (<usize>up) << 2, rowZ = (<usize>zp) << 2;
  const re = scratch, im = scratch + ((<usize>h) << 4);
  const least = f32x4.splat(floor);
  for (let x: usize = 0; x < half; x += 16) {
    loadSpectrum(re, im, zre + x, zim + x, rowZ, h);
    dit(im, re, h, plan);
    let p = data + x, q = inverse + x;
    for (let y: usize = 0; y < (<usize>h) << 4; y += 16) {
      v128.store(re + y, dampedRatio(v128.load(p), v128.load(re + y), v128.load(q), least));
      v128.store(im + y, dampedRatio(v128.load(p + half), v128.load(im + y), v128.load(q + half), least));
      p += rowU; q += rowU;
    }
    dif(re, im, h, plan);
    storeSpectrum(re, im, zre + x, zim + x, rowZ, h);
  }
}

/** (before, u) ← (u, max(0, u + by (u − before))). */
export function hasten(u: usize, before: usize, count: i32, by: f32): void {
  const zero = f32x4.splat(0.0), k = f32x4.splat(by);
  for (let at: usize = 0; at < (<usize>count) << 2; at += 16) {
    const here = v128.load(u + at);
    v128.store(u + at, f32x4.max(zero, f32x4.add(here, f32x4.mul(k, f32x4.sub(here, v128.load(before + at))))));
    v128.store(before + at, here);
  }
}

/** Columns of Z back to the correction c, then u ← u · c, and (unless `last`) u forward into Z for the next round. */
export function updateColumns(u: usize, up: i32, last: i32, zre: usize, zim: usize, zp: i32, w: i32, h: i32, plan: usize, scratch: usize): void {
  const half = (<usize>(w >> 1)) << 2, rowU = (<usize>up) << 2, rowZ = (<usize>zp) << 2;
  const re = scratch, im = scratch + ((<usize>h) << 4);
  for (let x: usize = 0; x < half; x += 16) {
    loadSpectrum(re, im, zre + x, zim + x, rowZ, h);
    dit(im, re, h, plan);
    let p = u + x;
    for (let y: usize = 0; y < (<usize>h) << 4; y += 16) {
      const left = f32x4.mul(v128.load(p), v128.load(re + y));
      const right = f32x4.mul(v128.load(p + half), v128.load(im + y));
      v128.store(p, left);
      v128.store(p + half, right);
      v128.store(re + y, left);
      v128.store(im + y, right);
      p += rowU;
    }
    if (!last) {
      dif(re, im, h, plan);
      storeSpectrum(re, im, zre + x, zim + x, rowZ, h);
    }
  }
}

// Four rows of 4 floats turned into four columns, stored 16 bytes apart.
// @ts-ignore: decorator
@inline function storeTransposed(out: usize, a: v128, b: v128, c: v128, d: v128): void {
  const ab0 = v128.shuffle<f32>(a, b, 0, 4, 1, 5), ab1 = v128.shuffle<f32>(a, b, 2, 6, 3, 7);
  const cd0 = v128.shuffle<f32>(c, d, 0, 4, 1, 5), cd1 = v128.shuffle<f32>(c, d, 2, 6, 3, 7);
  v128.store(out, v128.shuffle<f64>(ab0, cd0, 0, 2));
  v128.store(out, v128.shuffle<f64>(ab0, cd0, 1, 3), 16);
  v128.store(out, v128.shuffle<f64>(ab1, cd1, 0, 2), 32);
  v128.store(out, v128.shuffle<f64>(ab1, cd1, 1, 3), 48);
}

/** Four packed rows and their partners untangled into scratch (4 lanes × W, re then im), then transformed along x. */
// @ts-ignore: decorator
@inline function loadRows(zre: usize, zim: usize, rowZ: usize, w: i32, pairs: usize, re: usize, im: usize): void {
  const half = (<usize>(w >> 1));
  const p0 = <usize>load<i32>(pairs) * rowZ, p1 = <usize>load<i32>(pairs, 8) * rowZ, p2 = <usize>load<i32>(pairs, 16) * rowZ, p3 = <usize>load<i32>(pairs, 24) * rowZ;
  const q0 = <usize>load<i32>(pairs, 4) * rowZ, q1 = <usize>load<i32>(pairs, 12) * rowZ, q2 = <usize>load<i32>(pairs, 20) * rowZ, q3 = <usize>load<i32>(pairs, 28) * rowZ;
  for (let x: usize = 0; x < half; x += 4) {
    const r = zre + (x << 2), i = zim + (x << 2), left = x << 4, right = (x + half) << 4;
    const ar = v128.load(r + p0), br = v128.load(r + p1), cr = v128.load(r + p2), dr = v128.load(r + p3);
    const ai = v128.load(i + p0), bi = v128.load(i + p1), ci = v128.load(i + p2), di = v128.load(i + p3);
    const er = v128.load(r + q0), fr = v128.load(r + q1), gr = v128.load(r + q2), hr = v128.load(r + q3);
    const ei = v128.load(i + q0), fi = v128.load(i + q1), gi = v128.load(i + q2), hi = v128.load(i + q3);
    storeTransposed(re + left, f32x4.add(ar, er), f32x4.add(br, fr), f32x4.add(cr, gr), f32x4.add(dr, hr));
    storeTransposed(im + left, f32x4.sub(ai, ei), f32x4.sub(bi, fi), f32x4.sub(ci, gi), f32x4.sub(di, hi));
    storeTransposed(re + right, f32x4.add(ai, ei), f32x4.add(bi, fi), f32x4.add(ci, gi), f32x4.add(di, hi));
    storeTransposed(im + right, f32x4.sub(er, ar), f32x4.sub(fr, br), f32x4.sub(gr, cr), f32x4.sub(hr, dr));
  }
}

/** The transfer function: rows of a transformed PSF times `scale`, kept in groups of four. */
export function transferRows(zre: usize, zim: usize, zp: i32, w: i32, groups: i32, pairs: usize, plan: usize, scale: f32, transfer: usize): void {
  const bytes = (<usize>w) << 4, factor = f32x4.splat(scale);
  for (let g = 0; g < groups; g++) {
    const re = transfer + (<usize>g) * 2 * bytes, im = re + bytes;
    loadRows(zre, zim, (<usize>zp) << 2, w, pairs + ((<usize>g) << 5), re, im);
    dif(re, im, w, plan);
    for (let k: usize = 0; k < 2 * bytes; k += 16) v128.store(re + k, f32x4.mul(v128.load(re + k), factor));
  }
}

/** Z times the transfer function (its conjugate when `conjugate`), rows forward and back in one sweep. */
export function transformRows(zre: usize, zim: usize, zp: i32, w: i32, groups: i32, pairs: usize, plan: usize, transfer: usize, conjugate: i32, scratch: usize): void {
  const bytes = (<usize>w) << 4, half = (<usize>(w >> 1)), rowZ = (<usize>zp) << 2;
  const re = scratch, im = scratch + bytes;
  const turn = f32x4.splat(conjugate ? -1.0 : 1.0);
  for (let g = 0; g < groups; g++) {
    const pair = pairs + ((<usize>g) << 5);
    loadRows(zre, zim, rowZ, w, pair, re, im);
    dif(re, im, w, plan);
    const tr = transfer + (<usize>g) * 2 * bytes, ti = tr + bytes;
    for (let k: usize = 0; k < bytes; k += 16) {
      const a = v128.load(re + k), b = v128.load(im + k), c = v128.load(tr + k), d = f32x4.mul(v128.load(ti + k), turn);
      v128.store(re + k, f32x4.sub(f32x4.mul(a, c), f32x4.mul(b, d)));
      v128.store(im + k, f32x4.add(f32x4.mul(a, d), f32x4.mul(b, c)));
    }
    dit(im, re, w, plan);
    const p0 = <usize>load<i32>(pair) * rowZ, p1 = <usize>load<i32>(pair, 8) * rowZ, p2 = <usize>load<i32>(pair, 16) * rowZ, p3 = <usize>load<i32>(pair, 24) * rowZ;
    const q0 = <usize>load<i32>(pair, 4) * rowZ, q1 = <usize>load<i32>(pair, 12) * rowZ, q2 = <usize>load<i32>(pair, 20) * rowZ, q3 = <usize>load<i32>(pair, 28) * rowZ;
    for (let x: usize = 0; x < half; x += 4) {
      const left = x << 4, right = (x + half) << 4, r = zre + (x << 2), i = zim + (x << 2);
      const ar0 = v128.load(re + left), ar1 = v128.load(re + left, 16), ar2 = v128.load(re + left, 32), ar3 = v128.load(re + left, 48);
      const ai0 = v128.load(im + left), ai1 = v128.load(im + left, 16), ai2 = v128.load(im + left, 32), ai3 = v128.load(im + left, 48);
      const br0 = v128.load(re + right), br1 = v128.load(re + right, 16), br2 = v128.load(re + right, 32), br3 = v128.load(re + right, 48);
      const bi0 = v128.load(im + right), bi1 = v128.load(im + right, 16), bi2 = v128.load(im + right, 32), bi3 = v128.load(im + right, 48);
      storeRows(r + p0, r + p1, r + p2, r + p3, f32x4.sub(ar0, bi0), f32x4.sub(ar1, bi1), f32x4.sub(ar2, bi2), f32x4.sub(ar3, bi3));
      storeRows(i + p0, i + p1, i + p2, i + p3, f32x4.add(ai0, br0), f32x4.add(ai1, br1), f32x4.add(ai2, br2), f32x4.add(ai3, br3));
      storeRows(r + q0, r + q1, r + q2, r + q3, f32x4.add(ar0, bi0), f32x4.add(ar1, bi1), f32x4.add(ar2, bi2), f32x4.add(ar3, bi3));
      storeRows(i + q0, i + q1, i + q2, i + q3, f32x4.sub(br0, ai0), f32x4.sub(br1, ai1), f32x4.sub(br2, ai2), f32x4.sub(br3, ai3));
    }
  }
}

// Four columns turned into rows at four addresses.
// @ts-ignore: decorator
@inline function storeRows(p0: usize, p1: usize, p2: usize, p3: usize, a: v128, b: v128, c: v128, d: v128): void {
  const ab0 = v128.shuffle<f32>(a, b, 0, 4, 1, 5), ab1 = v128.shuffle<f32>(a, b, 2, 6, 3, 7);
  const cd0 = v128.shuffle<f32>(c, d, 0, 4, 1, 5), cd1 = v128.shuffle<f32>(c, d, 2, 6, 3, 7);
  v128.store(p0, v128.shuffle<f64>(ab0, cd0, 0, 2));
  v128.store(p1, v128.shuffle<f64>(ab0, cd0, 1, 3));
  v128.store(p2, v128.shuffle<f64>(ab1, cd1, 0, 2));
  v128.store(p3, v128.shuffle<f64>(ab1, cd1, 1, 3));
}

/** (px, py) ← ∇u/√(|∇u|² + soften²) by forward differences inside w × h; beyond it u is 0, as the pads of its rows are. */
export function variationInto(u: usize, up: i32, w: i32, h: i32, soften: f32, px: usize, py: usize): void {
  const pitch = (<usize>up) << 2, least = f32x4.splat(soften * soften), zero = f32x4.splat(0.0);
  for (let y = 0; y < h; y++) {
    const row = (<usize>y) * pitch;
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
      const at = row + x, here = v128.load(u + at);
      const gx = f32x4.sub(v128.load(u + at + 4), here);
      const gy = f32x4.sub(y < h - 1 ? v128.load(u + at + pitch) : zero, here);
      const by = f32x4.div(f32x4.splat(1.0), f32x4.sqrt(f32x4.add(least, f32x4.add(f32x4.mul(gx, gx), f32x4.mul(gy, gy)))));
      v128.store(px + at, f32x4.mul(gx, by));
      v128.store(py + at, f32x4.mul(gy, by));
    }
    // What lies before the next row's first pixel counts as nothing.
    for (let x: usize = (<usize>w) << 2; x < pitch; x += 4) { store<f32>(px + row + x, 0.0); store<f32>(py + row + x, 0.0); }
  }
}

/** u ← u/max(least, 1 − λ div p) inside w × h; λ by pixel from `lambdas`, one for all where that is 0. */
export function dividedBy(u: usize, up: i32, w: i32, h: i32, lambdas: usize, lambda: f32, least: f32, px: usize, py: usize): void {
  const pitch = (<usize>up) << 2, all = f32x4.splat(lambda), one = f32x4.splat(1.0), most = f32x4.splat(least);
  for (let y = 0; y < h; y++) {
    const row = (<usize>y) * pitch;
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
      const at = row + x;
      const across = f32x4.sub(v128.load(px + at), v128.load(px + at - 4));
      const down = f32x4.sub(v128.load(py + at), y > 0 ? v128.load(py + at - pitch) : f32x4.splat(0.0));
      const k = lambdas ? v128.load(lambdas + at) : all;
      const divisor = f32x4.max(most, f32x4.sub(one, f32x4.mul(k, f32x4.add(across, down))));
      v128.store(u + at, f32x4.div(v128.load(u + at), divisor));
    }
  }
}

// The starlet: one smoothing step with the B3 spline [1 4 6 4 1]/16 at distance `step`, and k-sigma shrinkage.
// Source: Starck & Murtagh, Astronomical Image and Data Analysis; Holschneider et al. 1989 (à trous).

import { b3, mirror } from "./b3.assembly";

/**
 * dst ← src smoothed; pitch p floats (a multiple of 4, ≥ w). `line` holds p + 4 step + 8 floats of scratch: the row
 * smoothed along y, with its mirror image 2 step pixels to either side.
 */
export function b3Smooth(src: usize, dst: usize, w: i32, h: i32, p: i32, step: i32, line: usize): void {
  const pitch = (<usize>p) << 2;
  const margin = 2 * step;
  const row = line + ((<usize>margin) << 2);
  const s1 = (<usize>step) << 2, s2 = s1 << 1;
  for (let y = 0; y < h; y++) {
    const r0 = src + <usize>mirror(y - margin, h) * pitch, r1 = src + <usize>mirror(y - step, h) * pitch;
    const r2 = src + <usize>y * pitch;
    const r3 = src + <usize>mirror(y + step, h) * pitch, r4 = src + <usize>mirror(y + margin, h) * pitch;
    for (let x: usize = 0; x < pitch; x += 16)
      v128.store(row + x, b3(v128.load(r0 + x), v128.load(r1 + x), v128.load(r2 + x), v128.load(r3 + x), v128.load(r4 + x)));
    for (let k = 1; k <= margin; k++) {
      store<f32>(row - ((<usize>k) << 2), load<f32>(row + ((<usize>mirror(-k, w)) << 2)));
      store<f32>(row + ((<usize>(w - 1 + k)) << 2), load<f32>(row + ((<usize>mirror(w - 1 + k, w)) << 2)));
    }
    const out = dst + <usize>y * pitch;
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
      const at = row + x;
      v128.store(out + x, b3(v128.load(at - s2), v128.load(at - s1), v128.load(at), v128.load(at + s1), v128.load(at + s2)));
    }
  }
}

/** z ← z + ((a − b) · inverseSigma)², or z ← that when `first`; n floats, a multiple of 4. */
export function addSignificance(z: usize, a: usize, b: usize, inverseSigma: f32, n: i32, first: i32): void {
  const s = f32x4.splat(inverseSigma);
  const end = (<usize>n) << 2;
  for (let i: usize = 0; i < end; i += 16) {
    const d = f32x4.mul(f32x4.sub(v128.load(a + i), v128.load(b + i)), s);
    const q = f32x4.mul(d, d);
    v128.store(z + i, first ? q : f32x4.add(v128.load(z + i), q));
  }
}

/**
 * out ← out + gain · (a − b) with gain = u² / (1 + u²), u = t / k², where t = z + protect · max(0, e − 1.5) and
 * e is the mean of z over 3 × 3 pixels (mirrored at the border). `line` holds w + 16 floats.
 */
export function shrinkInto(out: usize, z: usize, a: usize, b: usize, w: i32, h: i32, p: i32, inverseK2: f32, protect: f32, line: usize): void {
  const pitch = (<usize>p) << 2;
  const one = f32x4.splat(1.0), ninth = f32x4.splat(1.0 / 9.0), noise = f32x4.splat(1.5), zero = f32x4.splat(0.0);
  const guard = f32x4.splat(protect), scale = f32x4.splat(inverseK2);
  const row = line + 16;
  for (let y = 0; y < h; y++) {
    const r0 = z + <usize>mirror(y - 1, h) * pitch, r1 = z + <usize>y * pitch, r2 = z + <usize>mirror(y + 1, h) * pitch;
    for (let x: usize = 0; x < pitch; x += 16) v128.store(row + x, f32x4.add(f32x4.add(v128.load(r0 + x), v128.load(r1 + x)), v128.load(r2 + x)));
    store<f32>(row - 4, load<f32>(row + ((<usize>mirror(-1, w)) << 2)));
    store<f32>(row + ((<usize>w) << 2), load<f32>(row + ((<usize>mirror(w, w)) << 2)));
    const at = <usize>y * pitch;
    for (let x: usize = 0; x < (<usize>w) << 2; x += 16) {
      const e = f32x4.mul(f32x4.add(f32x4.add(v128.load(row + x - 4), v128.load(row + x)), v128.load(row + x + 4)), ninth);
      const t = f32x4.add(v128.load(r1 + x), f32x4.mul(guard, f32x4.max(f32x4.sub(e, noise), zero)));
      const u = f32x4.mul(t, scale), u2 = f32x4.mul(u, u);
      const gain = f32x4.div(u2, f32x4.add(one, u2));
      const d = f32x4.sub(v128.load(a + at + x), v128.load(b + at + x));
      v128.store(out + at + x, f32x4.add(v128.load(out + at + x), f32x4.mul(gain, d)));
    }
  }
}

/** out ← out + a, n floats, a multiple of 4. */
export function addInto(out: usize, a: usize, n: i32): void {
  const end = (<usize>n) << 2;
  for (let i: usize = 0; i < end; i += 16) v128.store(out + i, f32x4.add(v128.load(out + i), v128.load(a + i)));
}

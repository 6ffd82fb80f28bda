// The pointwise steps of gated Richardson–Lucy; planes of n floats, a multiple of 4. `inverse` is one over what the PSF finds of an even picture, and 0 beyond the picture.

/** b ← b · inverse, r ← data − b. */
export function missInto(data: usize, b: usize, inverse: usize, r: usize, n: i32): void {
  const end = (<usize>n) << 2;
  for (let i: usize = 0; i < end; i += 16) {
    const seen = f32x4.mul(v128.load(b + i), v128.load(inverse + i));
    v128.store(b + i, seen);
    v128.store(r + i, f32x4.sub(v128.load(data + i), seen));
  }
}

/** out ← out + what a − b exceeds gate · sigma by, or that alone when `first`. */
export function gateInto(out: usize, a: usize, b: usize, sigma: usize, gate: f32, n: i32, first: i32): void {
  const end = (<usize>n) << 2, k = f32x4.splat(gate);
  for (let i: usize = 0; i < end; i += 16) {
    const w = f32x4.sub(v128.load(a + i), v128.load(b + i)), most = f32x4.mul(k, v128.load(sigma + i));
    const above = f32x4.sub(w, f32x4.max(f32x4.neg(most), f32x4.min(most, w)));
    v128.store(out + i, first ? above : f32x4.add(v128.load(out + i), above));
  }
}

/** b ← max(0, 1 + (r + rest)/max(b, floor)), and 0 beyond the picture. */
export function gatedRatio(b: usize, r: usize, rest: usize, inverse: usize, floor: f32, n: i32): void {
  const end = (<usize>n) << 2, one = f32x4.splat(1.0), zero = f32x4.splat(0.0), least = f32x4.splat(floor);
  for (let i: usize = 0; i < end; i += 16) {
    const missed = f32x4.add(v128.load(r + i), v128.load(rest + i));
    const ratio = f32x4.max(zero, f32x4.add(one, f32x4.div(missed, f32x4.max(v128.load(b + i), least))));
    v128.store(b + i, v128.and(ratio, f32x4.gt(v128.load(inverse + i), zero)));
  }
}

/** u ← u · s^(7/4), s = max(0, step · inverse). */
export function raiseInto(u: usize, step: usize, inverse: usize, n: i32): void {
  const end = (<usize>n) << 2, zero = f32x4.splat(0.0);
  for (let i: usize = 0; i < end; i += 16) {
    const s = f32x4.max(zero, f32x4.mul(v128.load(step + i), v128.load(inverse + i)));
    const root = f32x4.sqrt(s);
    const by = f32x4.mul(f32x4.mul(s, root), f32x4.sqrt(root));
    v128.store(u + i, f32x4.mul(v128.load(u + i), by));
  }
}

// An undecimated wavelet transform over planes that are taken as one row: what runs over the ends of rows stays within their margins.
// Source: Mallat 2009, 5.2.2.

/** to ← Σ_k taps(k) · from(i + k · stride), or added to what is there; `n` is a multiple of 4, both have room for what is read and written beyond their ends. */
export function filterInto(from: usize, to: usize, n: i32, taps: usize, count: i32, stride: i32, adds: i32): void {
  const step = (<isize>stride) << 2;
  for (let i: isize = 0; i < (<isize>n) << 2; i += 16) {
    let sum = adds ? v128.load(to + <usize>i) : f32x4.splat(0.0);
    let at = <isize>from + i;
    for (let k: usize = 0; k < (<usize>count) << 2; k += 4) {
      sum = f32x4.add(sum, f32x4.mul(v128.load32_splat(taps + k), v128.load(<usize>at)));
      at += step;
    }
    v128.store(to + <usize>i, sum);
  }
}

/** to ← from². */
export function squareInto(from: usize, to: usize, n: i32): void {
  for (let i: usize = 0; i < (<usize>n) << 2; i += 16) {
    const c = v128.load(from + i);
    v128.store(to + i, f32x4.mul(c, c));
  }
}

/** Coefficients below `threshold` become 0, others come nearer to 0 by it (soft) or stay. */
export function thresholdInto(band: usize, n: i32, threshold: f32, isSoft: i32): void {
  const t = f32x4.splat(threshold), zero = f32x4.splat(0.0), sign = i32x4.splat(0x80000000);
  for (let i: usize = 0; i < (<usize>n) << 2; i += 16) {
    const c = v128.load(band + i), size = f32x4.abs(c);
    const kept = isSoft ? v128.or(f32x4.max(zero, f32x4.sub(size, t)), v128.and(c, sign)) : v128.and(c, f32x4.gt(size, t));
    v128.store(band + i, kept);
  }
}

/** Soft at noise/√(mean square − noise), `noise` a variance, the mean squares lying `shift` floats before their coefficients; 0 where no signal is left. */
export function bayesInto(band: usize, means: usize, n: i32, shift: i32, noise: f32): void {
  const v = f32x4.splat(noise), zero = f32x4.splat(0.0), sign = i32x4.splat(0x80000000);
  const back = (<usize>shift) << 2;
  for (let i: usize = 0; i < (<usize>n) << 2; i += 16) {
    const c = v128.load(band + i);
    const signal = f32x4.sub(v128.load(means + i - back), v);
    const t = f32x4.div(v, f32x4.sqrt(f32x4.max(signal, f32x4.splat(1e-30))));
    const kept = v128.or(f32x4.max(zero, f32x4.sub(f32x4.abs(c), t)), v128.and(c, sign));
    v128.store(band + i, v128.and(kept, f32x4.gt(signal, zero)));
  }
}

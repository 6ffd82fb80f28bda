/** e^x of four numbers, to 3e-7 of each; 0 for x below −80; x must be below 80. */
// @ts-ignore: decorator
@inline export function exp(x: v128): v128 {
  // 2^(x log2 e): whole part into the exponent, the rest by its series.
  const t = f32x4.mul(f32x4.max(x, f32x4.splat(-80.0)), f32x4.splat(1.4426950408889634));
  const whole = f32x4.nearest(t);
  const r = f32x4.mul(f32x4.sub(t, whole), f32x4.splat(0.6931471805599453));
  let p = f32x4.splat(1.0 / 720.0);
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(1.0 / 120.0));
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(1.0 / 24.0));
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(1.0 / 6.0));
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(0.5));
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(1.0));
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(1.0));
  const scale = i32x4.shl(i32x4.add(i32x4.trunc_sat_f32x4_s(whole), i32x4.splat(127)), 23);
  return v128.and(f32x4.mul(p, scale), f32x4.gt(x, f32x4.splat(-80.0)));
}

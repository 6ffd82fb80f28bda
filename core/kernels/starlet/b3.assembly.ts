// The B3 spline [1 4 6 4 1]/16, and the mirror at the border.

// @ts-ignore: decorator
@inline export function mirror(i: i32, n: i32): i32 {
  if (n == 1) return 0;
  const period = 2 * (n - 1);
  let k = i % period;
  if (k < 0) k += period;
  return k < n ? k : period - k;
}
// @ts-ignore: decorator
@inline export function b3(a: v128, b: v128, c: v128, d: v128, e: v128): v128 {
  const outer = f32x4.mul(f32x4.add(a, e), f32x4.splat(0.0625));
  const inner = f32x4.mul(f32x4.add(b, d), f32x4.splat(0.25));
  return f32x4.add(f32x4.add(outer, inner), f32x4.mul(c, f32x4.splat(0.375)));
}

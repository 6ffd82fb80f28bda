/** e^x of four numbers, to 3e-7 (1 + |x|/4) of each; 0 for x below −80; x must be below 80. */
// @ts-ignore: decorator
@inline export function exp(x: v128): v128 {
  return exp2(f32x4.mul(x, f32x4.splat(1.4426950408889634)));
}

/** 2^t of four numbers, to 2e-7 of each and 1 at 0; 0 for t below −115.4 (e^−80); t must be below 126. */
// @ts-ignore: decorator
@inline export function exp2(t: v128): v128 {
  // So large a number has no binary places: adding it rounds to whole numbers, which then stand in its last bits, ready to be moved to the exponent.
  const large = f32x4.splat(12582912.0);
  const bound = f32x4.pmax(f32x4.splat(-120.0), t);
  const whole = f32x4.add(bound, large);
  const r = f32x4.sub(bound, f32x4.sub(whole, large));
  // What is left, −½ … ½, by the polynomial of least greatest relative error that is 1 at 0.
  let p = f32x4.splat(0.0013264727);
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(0.0096715127));
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(0.0555073374));
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(0.2402224208));
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(0.6931469776));
  p = f32x4.add(f32x4.mul(p, r), f32x4.splat(1.0));
  return v128.and(i32x4.add(p, i32x4.shl(whole, 23)), f32x4.gt(t, f32x4.splat(-115.415603)));
}

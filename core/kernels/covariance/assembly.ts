// Sums of products of a plane with itself, shifted. Products of a row are summed in single precision, rows in double.

/** Σ plane(x, y) · plane(x + dx, y + dy) over one of `every` rows, where both lie inside; dy ≥ 0; no NaN. */
export function lagProduct(plane: usize, width: i32, height: i32, dx: i32, dy: i32, every: i32): f64 {
  const first = max<i32>(0, -dx), last = min<i32>(width, width - dx);
  const shift = (<isize>(dy * width + dx)) << 2;
  let total: f64 = 0;
  for (let y = 0; y + dy < height; y += every) {
    let at = plane + ((<usize>(y * width + first)) << 2);
    const end = plane + ((<usize>(y * width + last)) << 2);
    if (at >= end) break;
    let a = f32x4.splat(0), b = f32x4.splat(0);
    for (; at + 32 <= end; at += 32) {
      a = f32x4.add(a, f32x4.mul(v128.load(at), v128.load(at + shift)));
      b = f32x4.add(b, f32x4.mul(v128.load(at, 16), v128.load(at + shift, 16)));
    }
    a = f32x4.add(a, b);
    total += <f64>f32x4.extract_lane(a, 0) + <f64>f32x4.extract_lane(a, 1) + <f64>f32x4.extract_lane(a, 2) + <f64>f32x4.extract_lane(a, 3);
    for (; at < end; at += 4) total += <f64>load<f32>(at) * <f64>load<f32>(at + shift);
  }
  return total;
}

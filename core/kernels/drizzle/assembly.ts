// Pixels fall as square drops onto a finer grid; as plain.ts, drop by drop.

/**
 * The block of `width` × `height` pixels from pixel (i0, j0) of a plane of `pitch` columns on: pixel (i, j) lies at (a i + b j + c, d i + e j + f) of the sums,
 * which are columns × rows floats each.
 */
export function dropBlock(
  plane: usize, pitch: i32, i0: i32, j0: i32, width: i32, height: i32,
  a: f64, b: f64, c: f64, d: f64, e: f64, f: f64,
  side: f64, weight: f64, light: usize, area: usize, columns: i32, rows: i32,
): void {
  const half = side * 0.5;
  for (let j = j0; j < j0 + height; j++)
    for (let i = i0; i < i0 + width; i++) {
      const value = load<f32>(plane + ((<usize>(j * pitch + i)) << 2));
      const left = a * <f64>i + b * <f64>j + c - half, top = d * <f64>i + e * <f64>j + f - half;
      const right = left + side, bottom = top + side;
      if (value != value || !(right > -0.5 && bottom > -0.5 && left < <f64>columns && top < <f64>rows)) continue;
      const x0 = max<i32>(0, <i32>Math.floor(left + 0.5)), x1 = min<i32>(columns - 1, <i32>Math.floor(right + 0.5));
      const y0 = max<i32>(0, <i32>Math.floor(top + 0.5)), y1 = min<i32>(rows - 1, <i32>Math.floor(bottom + 0.5));
      for (let y = y0; y <= y1; y++) {
        const tall = weight * (Math.min(bottom, <f64>y + 0.5) - Math.max(top, <f64>y - 0.5));
        for (let x = x0; x <= x1; x++) {
          const share = tall * (Math.min(right, <f64>x + 0.5) - Math.max(left, <f64>x - 0.5));
          const at = (<usize>(y * columns + x)) << 2;
          store<f32>(light + at, <f32>(<f64>load<f32>(light + at) + share * <f64>value));
          store<f32>(area + at, <f32>(<f64>load<f32>(area + at) + share));
        }
      }
    }
}

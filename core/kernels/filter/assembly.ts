// A small filter along a row of pixels, from as many rows as it is high.

/** dst ← Σ taps · rows, 16 pixels at a time; `rows`: `size` addresses, `taps`: size² numbers, each four times over. */
export function filterRow(rows: usize, dst: usize, pixels: i32, taps: usize, size: i32): void {
  for (let x: usize = 0; x < (<usize>pixels) << 2; x += 64) {
    let s0 = f32x4.splat(0), s1 = s0, s2 = s0, s3 = s0;
    let tap = taps;
    for (let j = 0; j < size; j++) {
      let at = (<usize>load<i32>(rows + ((<usize>j) << 2))) + x;
      for (let i = 0; i < size; i++, at += 4, tap += 16) {
        const k = v128.load(tap);
        s0 = f32x4.add(s0, f32x4.mul(k, v128.load(at)));
        s1 = f32x4.add(s1, f32x4.mul(k, v128.load(at, 16)));
        s2 = f32x4.add(s2, f32x4.mul(k, v128.load(at, 32)));
        s3 = f32x4.add(s3, f32x4.mul(k, v128.load(at, 48)));
      }
    }
    v128.store(dst + x, s0);
    v128.store(dst + x, s1, 16);
    v128.store(dst + x, s2, 32);
    v128.store(dst + x, s3, 48);
  }
}

// Sums over small windows: eight pixels of a row at once.

import { mirror } from "../starlet/b3.assembly";

/**
 * dst ← Σ taps · src over windows of side × side; pitch p floats (a multiple of 4, ≥ w). `lines` holds side rows of `linePitch` floats, ≥ w + 2 reach + 8;
 * `splats` side² times 4 floats.
 */
export function correlateInto(dst: usize, src: usize, w: i32, h: i32, p: i32, taps: usize, side: i32, lines: usize, linePitch: i32, splats: usize): void {
  const reach = side >> 1;
  const pitch = (<usize>p) << 2, pitchOfLine = (<usize>linePitch) << 2;
  const ring = <usize>side;
  for (let k = 0; k < side * side; k++) v128.store(splats + ((<usize>k) << 4), v128.load32_splat(taps + ((<usize>k) << 2)));
  for (let y = -reach; y < h + reach; y++) {
    // Row y goes into the ring; the window of row y − reach is whole then.
    const line = lines + (<usize>(y + reach) % ring) * pitchOfLine;
    const from = src + <usize>mirror(y, h) * pitch;
    memory.copy(line + ((<usize>reach) << 2), from, (<usize>w) << 2);
    for (let m = 1; m <= reach; m++) {
      store<f32>(line + ((<usize>(reach - m)) << 2), load<f32>(from + ((<usize>mirror(-m, w)) << 2)));
      store<f32>(line + ((<usize>(reach + w - 1 + m)) << 2), load<f32>(from + ((<usize>mirror(w - 1 + m, w)) << 2)));
    }
    const at = y - reach;
    if (at < 0) continue;
    const out = dst + <usize>at * pitch;
    for (let x: usize = 0; x < (<usize>w) << 2; x += 32) {
      let a = f32x4.splat(0.0), b = f32x4.splat(0.0);
      let tap = splats;
      for (let v = 0; v < side; v++) {
        let cell = lines + (<usize>(at + v) % ring) * pitchOfLine + x;
        for (let u = 0; u < side; u++) {
          const t = v128.load(tap);
          a = f32x4.add(a, f32x4.mul(t, v128.load(cell)));
          b = f32x4.add(b, f32x4.mul(t, v128.load(cell, 16)));
          tap += 16;
          cell += 4;
        }
      }
      v128.store(out + x, a);
      if (x + 16 < pitch) v128.store(out + x, b, 16);
    }
  }
}

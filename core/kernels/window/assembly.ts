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

/** The first `count` floats at `at` become the least of themselves and the `wide` − 1 after them; twice as many each time. */
function leastOfRun(at: usize, count: i32, wide: i32): void {
  let step = 1;
  for (; 2 * step <= wide; step *= 2) for (let i = 0; i < count; i += 4) leastInto(at + ((<usize>i) << 2), (<usize>step) << 2);
  const last = wide - step;
  if (last > 0) for (let i = 0; i < count; i += 4) leastInto(at + ((<usize>i) << 2), (<usize>last) << 2);
}

// @ts-ignore: decorator
@inline function leastInto(at: usize, offset: usize): void {
  v128.store(at, f32x4.min(v128.load(at), v128.load(at + offset)));
}

/**
 * dst ← the least of src over squares of 2 reach + 1 px; pitch p floats (a multiple of 4, ≥ w). `rows` holds h + 2 reach rows of p floats, `line` w + 4 reach + 12 floats.
 */
export function leastAroundInto(dst: usize, src: usize, w: i32, h: i32, p: i32, reach: i32, rows: usize, line: usize): void {
  const pitch = (<usize>p) << 2, wide = 2 * reach + 1;
  for (let y = 0; y < h; y++) {
    const from = src + <usize>y * pitch;
    memory.copy(line + ((<usize>reach) << 2), from, (<usize>w) << 2);
    for (let m = 1; m <= reach; m++) {
      store<f32>(line + ((<usize>(reach - m)) << 2), load<f32>(from + ((<usize>mirror(-m, w)) << 2)));
      store<f32>(line + ((<usize>(reach + w - 1 + m)) << 2), load<f32>(from + ((<usize>mirror(w - 1 + m, w)) << 2)));
    }
    // What lies beyond the padding is read and never told.
    leastOfRun(line, w + 2 * reach, wide);
    memory.copy(rows + <usize>(y + reach) * pitch, line, (<usize>w) << 2);
  }
  for (let m = 1; m <= reach; m++) {
    memory.copy(rows + <usize>(reach - m) * pitch, rows + <usize>(reach + mirror(-m, h)) * pitch, (<usize>w) << 2);
    memory.copy(rows + <usize>(reach + h - 1 + m) * pitch, rows + <usize>(reach + mirror(h - 1 + m, h)) * pitch, (<usize>w) << 2);
  }
  let step = 1;
  for (; 2 * step <= wide; step *= 2) for (let y = 0; y + step < h + 2 * reach; y++) leastOfRows(rows + <usize>y * pitch, p, <usize>step * pitch);
  const last = <usize>(wide - step) * pitch;
  for (let y = 0; y < h; y++) {
    const row = rows + <usize>y * pitch;
    if (last > 0) leastOfRows(row, p, last);
    memory.copy(dst + <usize>y * pitch, row, (<usize>w) << 2);
  }
}

function leastOfRows(row: usize, p: i32, offset: usize): void {
  for (let x = 0; x < p; x += 4) leastInto(row + ((<usize>x) << 2), offset);
}

// Calibrating: masters applied to a row, and pixels that stand out alone.

/**
 * One row of `bytes` bytes, a multiple of 16, in place. `bias`, `dark`, `flat`: addresses, 0 for none. `inverse`: four floats, 1 / mean of the flat for
 * each place of the row, over and over. Returns whether any sample is NaN.
 */
export function applyRow(row: usize, bytes: usize, bias: usize, dark: usize, flat: usize, scale: f32, inverse: usize, saturation: f32, pedestal: f32): i32 {
  const per = v128.load(inverse), factor = f32x4.splat(scale), zero = f32x4.splat(0), added = f32x4.splat(pedestal), top = f32x4.splat(saturation);
  const unknown = f32x4.splat(NaN);
  let gaps = f32x4.splat(0);
  for (let x: usize = 0; x < bytes; x += 16) {
    const raw = v128.load(row + x);
    let off = bias ? v128.load(bias + x) : zero;
    if (dark) {
      const current = v128.load(dark + x);
      off = bias ? f32x4.add(off, f32x4.mul(factor, f32x4.sub(current, off))) : current;
    }
    let value = f32x4.sub(raw, off);
    if (flat) {
      const relative = f32x4.mul(v128.load(flat + x), per);
      value = v128.bitselect(f32x4.div(value, relative), unknown, f32x4.gt(relative, zero));
    }
    value = f32x4.add(value, added);
    const stays = v128.and(f32x4.ge(raw, top), f32x4.gt(raw, value));
    value = v128.bitselect(raw, value, stays);
    gaps = v128.or(gaps, f32x4.ne(value, value));
    v128.store(row + x, value);
  }
  return v128.any_true(gaps) ? 1 : 0;
}

let rowBytes: usize, step: usize, across: usize, scratch: usize;

/** Rows of `bytes` bytes; the next pixel of a colour lies `pitch` pixels on. `room`: eight floats. */
export function loneBegin(bytes: usize, pitch: i32, room: usize): void {
  rowBytes = bytes;
  step = (<usize>pitch) << 2;
  across = bytes * <usize>pitch;
  scratch = room;
}

let filled: i32 = 0;

// @ts-ignore: decorator
@inline function insert(v: f32): void {
  if (v != v) return;
  let k = scratch + ((<usize>filled) << 2);
  filled++;
  for (; k > scratch && load<f32>(k - 4) > v; k -= 4) store<f32>(k, load<f32>(k - 4));
  store<f32>(k, v);
}

/** How far a pixel lies above the median of its eight neighbours of the same colour that are not NaN; NaN where all are. */
function rise(at: usize): f32 {
  filled = 0;
  const n = at - across, s = at + across;
  insert(load<f32>(n - step)); insert(load<f32>(n)); insert(load<f32>(n + step));
  insert(load<f32>(at - step)); insert(load<f32>(at + step));
  insert(load<f32>(s - step)); insert(load<f32>(s)); insert(load<f32>(s + step));
  if (filled == 0) return NaN;
  const middle = scratch + ((<usize>(filled >> 1)) << 2);
  return load<f32>(at) - (filled & 1 ? load<f32>(middle) : <f32>0.5 * (load<f32>(middle - 4) + load<f32>(middle)));
}

// @ts-ignore: decorator
@inline function isBelow(at: usize, most: f32, isHot: bool): bool {
  const height = rise(at);
  return isHot ? height < most : height > most;
}

function isAlone(at: usize, height: f32): bool {
  const most: f32 = 0.25 * height;
  const isHot = height > 0;
  const n = at - rowBytes, s = at + rowBytes;
  return (
    isBelow(n - 4, most, isHot) && isBelow(n, most, isHot) && isBelow(n + 4, most, isHot) && isBelow(at - 4, most, isHot) &&
    isBelow(at + 4, most, isHot) && isBelow(s - 4, most, isHot) && isBelow(s, most, isHot) && isBelow(s + 4, most, isHot)
  );
}

/** Medians of the eight neighbours of four pixels; NaN where one of them is, or is infinite on both sides. */
// @ts-ignore: decorator
@inline function medians(at: usize): v128 {
  const n = at - across, s = at + across;
  let a = v128.load(n - step), b = v128.load(n), c = v128.load(n + step), d = v128.load(at - step);
  let e = v128.load(at + step), f = v128.load(s - step), g = v128.load(s), h = v128.load(s + step);
  const all = f32x4.add(f32x4.add(f32x4.add(a, b), f32x4.add(c, d)), f32x4.add(f32x4.add(e, f), f32x4.add(g, h)));
  // Batcher's sort of eight but for the last exchanges, which do not change the mean of the two middle ones.
  let t = f32x4.pmin(a, b); b = f32x4.pmax(a, b); a = t;
  t = f32x4.pmin(c, d); d = f32x4.pmax(c, d); c = t;
  t = f32x4.pmin(e, f); f = f32x4.pmax(e, f); e = t;
  t = f32x4.pmin(g, h); h = f32x4.pmax(g, h); g = t;
  t = f32x4.pmin(a, c); c = f32x4.pmax(a, c); a = t;
  t = f32x4.pmin(b, d); d = f32x4.pmax(b, d); b = t;
  t = f32x4.pmin(e, g); g = f32x4.pmax(e, g); e = t;
  t = f32x4.pmin(f, h); h = f32x4.pmax(f, h); f = t;
  t = f32x4.pmin(b, c); c = f32x4.pmax(b, c); b = t;
  t = f32x4.pmin(f, g); g = f32x4.pmax(f, g); f = t;
  e = f32x4.pmax(a, e);
  f = f32x4.pmax(b, f);
  c = f32x4.pmin(c, g);
  d = f32x4.pmin(d, h);
  t = f32x4.pmax(c, e);
  d = f32x4.pmin(d, f);
  const middle = f32x4.mul(f32x4.splat(0.5), f32x4.add(t, d));
  return v128.bitselect(middle, f32x4.splat(NaN), f32x4.eq(all, all));
}

/** One row, pixels 4 … width − 5: 1 for a hot pixel alone, 2 for a cold one, a byte each; others are left as they are. `limits`: four floats, over and over. */
export function loneRow(row: usize, width: i32, limits: usize, out: usize): void {
  const limit = v128.load(limits), half = f32x4.mul(limit, f32x4.splat(0.5));
  const mean = f32x4.splat(0.5);
  for (let x = 4; x < width - 4; x += 4) {
    const at = row + ((<usize>x) << 2);
    const v = v128.load(at);
    const inRow = f32x4.mul(mean, f32x4.add(v128.load(at - step), v128.load(at + step)));
    const inColumn = f32x4.mul(mean, f32x4.add(v128.load(at - across), v128.load(at + across)));
    const near = v128.and(f32x4.le(f32x4.abs(f32x4.sub(v, inRow)), half), f32x4.le(f32x4.abs(f32x4.sub(v, inColumn)), half));
    const far = i32x4.bitmask(near) ^ 15;
    if (far == 0) continue;
    const heights = f32x4.sub(v, medians(at));
    // What is not surely within its limit, NaN with it, is looked at by itself.
    const clear = far & (i32x4.bitmask(f32x4.le(f32x4.abs(heights), limit)) ^ 15);
    if (clear == 0) continue;
    for (let k = 0; k < 4 && x + k < width - 4; k++) {
      if (!(clear & (1 << k))) continue;
      const place = at + ((<usize>k) << 2);
      const height = rise(place);
      if (Mathf.abs(height) > load<f32>(limits + ((<usize>k) << 2)) && isAlone(place, height)) store<u8>(out + x + k, height > 0 ? 1 : 2);
    }
  }
}

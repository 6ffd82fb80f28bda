// The bands in which stars are looked for, row after row: each row of the picture is read once, and what is still wanted of it waits in rings that stay
// in the cache. Smoothing as in starlet/assembly.ts.
import { b3, mirror } from "../starlet/b3.assembly";
import { medianSpread } from "../statistics/assembly";

let width: i32, height: i32, pitch: usize, rings: usize, line: usize, cells: i32, low: usize, share: usize, next: i32;

/** Rows that each ring holds: of the clean picture, smoothed once, and twice. */
const CLEAN: i32 = 8;
const ONCE: i32 = 16;
const TWICE: i32 = 32;

/**
 * Begins a picture. `rowBytes`: a row with room for whole vectors. `space`: CLEAN + ONCE + TWICE such rows. `scratch`: a row with 16 floats to either
 * side. `lows`, `shares`: for each column the cell before it, and how far it lies on the way to the next.
 */
export function skyBegin(w: i32, h: i32, rowBytes: usize, space: usize, scratch: usize, columns: i32, lows: usize, shares: usize): void {
  width = w; height = h; pitch = rowBytes; rings = space; line = scratch; cells = columns; low = lows; share = shares; next = 0;
}

// @ts-ignore: decorator
@inline function ringRow(first: i32, size: i32, y: i32): usize { return rings + <usize>(first + (y & (size - 1))) * pitch; }

/** Row y of what lies in a ring, smoothed at distance `step`, to `out`. */
function smoothRow(first: i32, size: i32, y: i32, step: i32, out: usize): void {
  const margin = 2 * step;
  const row = line + 64;
  const s1 = (<usize>step) << 2, s2 = s1 << 1;
  const r0 = ringRow(first, size, mirror(y - margin, height)), r1 = ringRow(first, size, mirror(y - step, height));
  const r2 = ringRow(first, size, y);
  const r3 = ringRow(first, size, mirror(y + step, height)), r4 = ringRow(first, size, mirror(y + margin, height));
  for (let x: usize = 0; x < pitch; x += 16)
    v128.store(row + x, b3(v128.load(r0 + x), v128.load(r1 + x), v128.load(r2 + x), v128.load(r3 + x), v128.load(r4 + x)));
  for (let k = 1; k <= margin; k++) {
    store<f32>(row - ((<usize>k) << 2), load<f32>(row + ((<usize>mirror(-k, width)) << 2)));
    store<f32>(row + ((<usize>(width - 1 + k)) << 2), load<f32>(row + ((<usize>mirror(width - 1 + k, width)) << 2)));
  }
  for (let x: usize = 0; x < pitch; x += 16) {
    const at = row + x;
    v128.store(out + x, b3(v128.load(at - s2), v128.load(at - s1), v128.load(at), v128.load(at + s1), v128.load(at + s2)));
  }
}

/** One row of the picture less its background (`mesh`: one level a cell and the last one twice), 0 for NaN, into the ring and to `out`. */
function cleanRow(row: usize, mesh: usize, out: usize): void {
  const to = ringRow(0, CLEAN, next);
  const end = (<usize>width) << 2;
  const zero = f32x4.splat(0);
  let x: usize = 0;
  for (; x + 16 <= end; x += 16) {
    const cell = load<i32>(low + x), last = load<i32>(low + x, 12);
    let level: v128;
    if (cell == last) {
      const from = load<f32>(mesh + ((<usize>cell) << 2)), rise = load<f32>(mesh + ((<usize>cell) << 2), 4) - from;
      level = f32x4.add(f32x4.splat(from), f32x4.mul(f32x4.splat(rise), v128.load(share + x)));
    } else {
      for (let l: usize = 0; l < 16; l += 4) store<f32>(line + l, levelAt(mesh, x + l));
      level = v128.load(line);
    }
    const v = f32x4.sub(v128.load(row + x), level);
    const kept = v128.bitselect(v, zero, f32x4.eq(v, v));
    v128.store(to + x, kept);
    v128.store(out + x, kept);
  }
  for (; x < end; x += 4) {
    const v = load<f32>(row + x) - levelAt(mesh, x);
    const kept: f32 = v == v ? v : 0;
    store<f32>(to + x, kept);
    store<f32>(out + x, kept);
  }
}

// @ts-ignore: decorator
@inline function levelAt(mesh: usize, x: usize): f32 {
  const at = mesh + ((<usize>load<i32>(low + x)) << 2);
  return load<f32>(at) + (load<f32>(at, 4) - load<f32>(at)) * load<f32>(share + x);
}

/** Rows after the last that the picture's own last rows still need. */
const LAG: i32 = 14;

/**
 * Takes the next row (none once all are taken) and finishes the row that lies LAG rows before it, if there is one: its band and its coarse part.
 * Returns whether a row was finished.
 */
export function skyRow(row: usize, mesh: usize, clean: usize, band: usize, coarse: usize): i32 {
  const y = next;
  if (y < height) cleanRow(row, mesh, clean);
  next++;
  const y1 = y - 2, y2 = y - 6, y3 = y - LAG;
  if (y1 >= 0 && y1 < height) smoothRow(0, CLEAN, y1, 1, ringRow(CLEAN, ONCE, y1));
  if (y2 >= 0 && y2 < height) smoothRow(CLEAN, ONCE, y2, 2, ringRow(CLEAN + ONCE, TWICE, y2));
  if (y3 < 0 || y3 >= height) return 0;
  smoothRow(CLEAN + ONCE, TWICE, y3, 4, coarse);
  const once = ringRow(CLEAN, ONCE, y3);
  for (let x: usize = 0; x < pitch; x += 16) v128.store(band + x, f32x4.sub(v128.load(once + x), v128.load(coarse + x)));
  return 1;
}

/** Every `step`-th of the first n floats of a row, cell by cell of `cell` px, behind what is in the cells' lists of `room` floats already: `row` samples of each column. */
export function sampleRow(values: usize, n: i32, cell: i32, step: i32, lists: usize, room: i32, row: i32): void {
  for (let x = 0, k: usize = 0; x < n; x += cell, k++) {
    const last = min(n, x + cell);
    const count = (last - x + step - 1) / step;
    let to = lists + (k * <usize>room + <usize>(row * count)) * 4;
    for (let u = x; u < last; u += step, to += 4) store<f32>(to, load<f32>(values + ((<usize>u) << 2)));
  }
}

/** Median absolute deviations of the cells' lists, `rows` samples of each column in them, as doubles to `out`. `keys`: room for a list and three more; `pair`: two doubles. */
export function cellSpreads(n: i32, cell: i32, step: i32, lists: usize, room: i32, rows: i32, keys: usize, pair: usize, out: usize): void {
  for (let x = 0, k: usize = 0; x < n; x += cell, k++) {
    const count = (min(n, x + cell) - x + step - 1) / step;
    medianSpread(lists + k * <usize>room * 4, keys, rows * count, pair);
    store<f64>(out + (k << 3), load<f64>(pair, 8));
  }
}

let bands: usize, ringMask: i32;

// @ts-ignore: decorator
@inline function bandAt(x: i32, y: i32): f32 {
  return x < 0 || y < 0 || x >= width || y >= height ? 0 : load<f32>(bands + <usize>(y & ringMask) * pitch + ((<usize>x) << 2));
}

// @ts-ignore: decorator
@inline function ridgeAlong(x: i32, y: i32, dx: i32, dy: i32): f32 { return min(bandAt(x + dx, y + dy), bandAt(x - dx, y - dy)); }

/**
 * Peaks above `least` in rows y0 … y1 − 1 of the band, of which row y lies at y & (size − 1) of `ring` (four rows more to either side are there): x, y
 * as integers, height and ridge (plain.ts) as floats, each to `out`. Returns how many.
 */
export function peaksIn(ring: usize, size: i32, y0: i32, y1: i32, least: f32, out: usize): i32 {
  bands = ring; ringMask = size - 1;
  let found = 0;
  const bound = f32x4.splat(least);
  for (let y = max(2, y0); y < min(y1, height - 2); y++) {
    const row = ring + <usize>(y & ringMask) * pitch;
    const up = ring + <usize>((y - 1) & ringMask) * pitch, down = ring + <usize>((y + 1) & ringMask) * pitch;
    for (let x = 0; x < width - 2; x += 4) {
      const at = (<usize>x) << 2;
      if (!v128.any_true(f32x4.gt(v128.load(row + at), bound))) continue;
      for (let u = max(2, x); u < min(x + 4, width - 2); u++) {
        const i = (<usize>u) << 2;
        const v = load<f32>(row + i);
        if (!(v > least && v >= load<f32>(row + i - 4) && v > load<f32>(row + i, 4))) continue;
        if (!(v >= load<f32>(up + i) && v > load<f32>(down + i) && v >= load<f32>(up + i - 4) && v >= load<f32>(up + i, 4))) continue;
        if (!(v > load<f32>(down + i - 4) && v > load<f32>(down + i, 4))) continue;
        const most = max(max(ridgeAlong(u, y, 4, 0), ridgeAlong(u, y, 0, 4)), max(ridgeAlong(u, y, 3, 3), ridgeAlong(u, y, 3, -3)));
        const to = out + ((<usize>found) << 4);
        store<i32>(to, u);
        store<i32>(to, y, 4);
        store<f32>(to, v, 8);
        store<f32>(to, max<f32>(0, most / v), 12);
        found++;
      }
    }
  }
  return found;
}

/**
 * A square of `side` px in rows of `rowBytes` (whole vectors, as wide as the window's), smoothed by the symmetric `taps` (2 · reach + 1), of the window `reach` px
 * larger to every side. `between`: `side` rows.
 */
export function smoothWindow(window: usize, side: i32, rowBytes: usize, taps: usize, reach: i32, between: usize, out: usize): void {
  const middle = (<usize>reach) << 2;
  for (let y = 0; y < side; y++) {
    const centre = window + <usize>(y + reach) * rowBytes;
    for (let x: usize = 0; x < rowBytes; x += 16) {
      let sum = f32x4.mul(f32x4.splat(load<f32>(taps + middle)), v128.load(centre + x));
      for (let k = 1; k <= reach; k++) {
        const away = <usize>k * rowBytes;
        sum = f32x4.add(sum, f32x4.mul(v128.load32_splat(taps + middle + ((<usize>k) << 2)), f32x4.add(v128.load(centre + x - away), v128.load(centre + x + away))));
      }
      v128.store(between + <usize>y * rowBytes + x, sum);
    }
  }
  for (let y = 0; y < side; y++) {
    const row = between + <usize>y * rowBytes + middle;
    for (let x: usize = 0; x < (<usize>side) << 2; x += 16) {
      let sum = f32x4.mul(f32x4.splat(load<f32>(taps + middle)), v128.load(row + x));
      for (let k: usize = 4; k <= middle; k += 4)
        sum = f32x4.add(sum, f32x4.mul(v128.load32_splat(taps + middle + k), f32x4.add(v128.load(row + x - k), v128.load(row + x + k))));
      v128.store(out + <usize>y * rowBytes + x, sum);
    }
  }
}

/** The largest of each 64 of n floats, NaN left out; `out`: a float each. The last ones may be fewer. */
export function chunkMaxima(values: usize, n: i32, out: usize): void {
  const end = values + ((<usize>n) << 2);
  for (let from = values; from < end; from += 256, out += 4) {
    let most = f32x4.splat(-Infinity);
    let at = from;
    const until = from + 256 < end ? from + 256 : end;
    // The second of two is taken only where it is greater, which NaN is not.
    for (; at + 16 <= until; at += 16) most = f32x4.pmax(most, v128.load(at));
    let top = f32x4.extract_lane(most, 0);
    if (f32x4.extract_lane(most, 1) > top) top = f32x4.extract_lane(most, 1);
    if (f32x4.extract_lane(most, 2) > top) top = f32x4.extract_lane(most, 2);
    if (f32x4.extract_lane(most, 3) > top) top = f32x4.extract_lane(most, 3);
    for (; at < until; at += 4) if (load<f32>(at) > top) top = load<f32>(at);
    store<f32>(out, top);
  }
}

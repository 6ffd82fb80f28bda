// Resampling: for each place taps × taps samples with tabulated weights, raised to the least of the inner 4 × 4. Source of the weights: the caller.
// Where the grid nearly agrees with the source's pixels, rows of the source are interpolated first, four columns at a time, and then columns of these
// (two passes: Catmull & Smith 1980, SIGGRAPH 14, 279); four neighbours have nearly one phase, and share its weights and their slopes.

// @ts-ignore: decorator
@inline function clampIndex(i: i32, n: i32): i32 { return i < 0 ? 0 : i >= n ? n - 1 : i; }

// @ts-ignore: decorator
@inline function sumOf(v: v128): f32 {
  const pair = f32x4.add(v, v128.shuffle<i64>(v, v, 1, 0));
  return f32x4.extract_lane(pair, 0) + f32x4.extract_lane(pair, 1);
}

// Where a sample is NaN the value is NaN as well, and no comparison holds: the least may be anything.
// @ts-ignore: decorator
@inline function leastOf(v: v128): f32 {
  const pair = f32x4.pmin(v, v128.shuffle<i64>(v, v, 1, 0));
  return f32x4.extract_lane(f32x4.pmin(pair, v128.shuffle<i32>(pair, pair, 1, 0, 3, 2)), 0);
}

// @ts-ignore: decorator
@inline function sampleAt(src: usize, w: i32, h: i32, weights: usize, taps: i32, phases: f64, x: f64, y: f64): f32 {
  if (!(x >= -0.5 && y >= -0.5 && x <= <f64>w - 0.5 && y <= <f64>h - 0.5)) return <f32>NaN;
  const before = (taps >> 1) - 1;
  const pitch = (<usize>w) << 2;
  const row = (<usize>taps) << 2;
  const fx = Math.floor(x), fy = Math.floor(y);
  const wx = weights + <usize>(<i32>Math.floor((x - fx) * phases + 0.5)) * row;
  const wy = weights + <usize>(<i32>Math.floor((y - fy) * phases + 0.5)) * row;
  const left = <i32>fx - before, top = <i32>fy - before;
  if (taps == 2 || left < 0 || top < 0 || left + taps > w || top + taps > h) return atBorder(src, w, h, taps, wx, wy, left, top);
  let p = src + <usize>top * pitch + ((<usize>left) << 2);
  let sum = f32x4.splat(0);
  let nearest: v128;
  if (taps == 4) {
    const a = v128.load(wx);
    nearest = v128.load(p);
    for (let j: usize = 0; j < 4; j++, p += pitch) {
      const samples = v128.load(p);
      sum = f32x4.add(sum, f32x4.mul(f32x4.mul(samples, a), v128.load32_splat(wy + (j << 2))));
      nearest = f32x4.pmin(nearest, samples);
    }
  } else if (taps == 6) {
    const a = v128.load(wx), b = v128.load64_zero(wx, 16);
    nearest = v128.load(p + pitch, 4);
    for (let j: usize = 0; j < 6; j++, p += pitch) {
      const line = f32x4.add(f32x4.mul(v128.load(p), a), f32x4.mul(v128.load64_zero(p, 16), b));
      sum = f32x4.add(sum, f32x4.mul(line, v128.load32_splat(wy + (j << 2))));
      if (j > 0 && j < 5) nearest = f32x4.pmin(nearest, v128.load(p, 4));
    }
  } else {
    const a = v128.load(wx), b = v128.load(wx, 16);
    nearest = v128.load(p + 2 * pitch, 8);
    for (let j: usize = 0; j < 8; j++, p += pitch) {
      const line = f32x4.add(f32x4.mul(v128.load(p), a), f32x4.mul(v128.load(p, 16), b));
      sum = f32x4.add(sum, f32x4.mul(line, v128.load32_splat(wy + (j << 2))));
      if (j > 1 && j < 6) nearest = f32x4.pmin(nearest, v128.load(p, 8));
    }
  }
  const value = sumOf(sum), least = leastOf(nearest);
  return value < least ? least : value;
}

/** Where samples beyond the border repeat the border pixel. */
function atBorder(src: usize, w: i32, h: i32, taps: i32, wx: usize, wy: usize, left: i32, top: i32): f32 {
  const inner = (taps >> 1) - 2;
  const pitch = (<usize>w) << 2;
  let value: f32 = 0;
  let least = <f32>Infinity;
  for (let j = 0; j < taps; j++) {
    const line = src + <usize>clampIndex(top + j, h) * pitch;
    let sum: f32 = 0;
    for (let k = 0; k < taps; k++) {
      const sample = load<f32>(line + ((<usize>clampIndex(left + k, w)) << 2));
      sum += sample * load<f32>(wx + ((<usize>k) << 2));
      if (j >= inner && j < inner + 4 && k >= inner && k < inner + 4 && sample < least) least = sample;
    }
    value += sum * load<f32>(wy + ((<usize>j) << 2));
  }
  return value < least ? least : value;
}


// What does not change from block to block.
let source: usize, sourceWidth: i32, sourceHeight: i32;
let table: usize, rises: usize, tableTaps: i32, tablePhases: f64, scratchAt: usize;
let toScale: f64, toLevel: f64, toDx: f64, toDy: f64;

export function resampleFrom(src: usize, w: i32, h: i32): void { source = src; sourceWidth = w; sourceHeight = h; }

/** `weights`, `slopes`: rows of `taps` floats, (phases + 1) of them, with room for a vector after the last. `scratch`: 2 × RING × STRIPE floats and RING integers. */
export function resampleWith(weights: usize, slopes: usize, taps: i32, phases: f64, scratch: usize): void {
  table = weights; rises = slopes; tableTaps = taps; tablePhases = phases; scratchAt = scratch;
}

export function resampleLevels(scale: f64, level: f64, dx: f64, dy: f64): void { toScale = scale; toLevel = level; toDx = dx; toDy = dy; }

/**
 * The block of `columns` × `rows` pixels of a grid from its pixel (i0, j0) on: pixel (i, j) lies at (a i + b j + c, d i + e j + f). `lead`: columns
 * before the first of a group of four. `out`: floats, `pitch` a row.
 */
export function resampleBlock(
  near: i32, a: f64, b: f64, c: f64, d: f64, e: f64, f: f64,
  i0: i32, j0: i32, columns: i32, rows: i32, lead: i32, pitch: i32, out: usize,
): void {
  if (near) {
    for (let from = -lead; from < columns; from += STRIPE) {
      const end = from + STRIPE < columns ? from + STRIPE : columns;
      nearStripe(a, b, c, d, e, f, i0, j0, from, end, rows, pitch, out);
    }
    return;
  }
  for (let j = 0; j < rows; j++) {
    const x0 = b * <f64>(j0 + j) + c, y0 = e * <f64>(j0 + j) + f;
    const level = toLevel + toDy * <f64>(j0 + j);
    const line = out + ((<usize>(j * pitch)) << 2);
    for (let i = 0; i < columns; i++) {
      const value = sampleAt(source, sourceWidth, sourceHeight, table, tableTaps, tablePhases, a * <f64>(i0 + i) + x0, d * <f64>(i0 + i) + y0);
      store<f32>(line + ((<usize>i) << 2), <f32>(<f64>value * toScale + (level + toDx * <f64>(i0 + i))));
    }
  }
}

const STRIPE: i32 = 256;
const RING: i32 = 16;

// @ts-ignore: decorator
@inline function ringRow(base: usize, r: i32): usize { return base + ((<usize>((r & (RING - 1)) * STRIPE)) << 2); }

/** Columns from … end of a block (from may be negative: not stored) for all its rows. */
function nearStripe(
  a: f64, b: f64, c: f64, d: f64, e: f64, f: f64,
  i0: i32, j0: i32, from: i32, end: i32, rows: i32, pitch: i32, out: usize,
): void {
  const taps = tableTaps, before = (taps >> 1) - 1;
  const sums = scratchAt, leasts = scratchAt + ((<usize>(RING * STRIPE)) << 2), tags = leasts + ((<usize>(RING * STRIPE)) << 2);
  for (let r = 0; r < RING; r++) store<i32>(tags + ((<usize>r) << 2), i32.MIN_VALUE);
  // Along a row r of the source, column i of the grid lies at x = across i + lean r + start.
  const lean = b / e, across = a - lean * d, start = c - lean * f;
  const first = <f64>(i0 + from), last = <f64>(i0 + end - 1);
  for (let j = 0; j < rows; j++) {
    const y0 = e * <f64>(j0 + j) + f;
    const one = d * first + y0, other = d * last + y0;
    const low = <i32>Math.floor(Math.min(one, other)) - before, high = <i32>Math.floor(Math.max(one, other)) - before + taps - 1;
    if (high >= -taps && low <= sourceHeight + taps)
      for (let r = low; r <= high; r++) {
        const tag = tags + ((<usize>(r & (RING - 1))) << 2);
        if (load<i32>(tag) == r) continue;
        store<i32>(tag, r);
        alongRow(r, across, lean * <f64>r + start, i0 + from, end - from, ringRow(sums, r), ringRow(leasts, r));
      }
    downColumns(sums, leasts, a, b * <f64>(j0 + j) + c, d, y0, i0 + from, end - from, from < 0 ? -from : 0, toLevel + toDy * <f64>(j0 + j), out + ((<usize>(j * pitch + from)) << 2));
  }
}

/** Row r of the source at `count` places across i + start, i from `first` on, and the least of the four samples around each. */
function alongRow(r: i32, across: f64, start: f64, first: i32, count: i32, sums: usize, leasts: usize): void {
  const w = sourceWidth, taps = tableTaps, before = (taps >> 1) - 1;
  const line = source + (((<usize>clampIndex(r, sourceHeight)) * <usize>w) << 2);
  const rowBytes = (<usize>taps) << 2, inner = ((<usize>((taps >> 1) - 2)) << 2);
  const step = <f32>across;
  const backwards = across < 0;
  // Lanes lie as their samples do in memory; mirrored, that is from the last to the first.
  const lanes = backwards ? f32x4(3, 2, 1, 0) : f32x4(0, 1, 2, 3);
  for (let k = 0; k < count; k += 4, sums += 16, leasts += 16) {
    const x0 = across * <f64>(first + k) + start, x3 = x0 + 3 * across;
    const f0 = Math.floor(x0), f3 = Math.floor(x3);
    const base = <i32>(backwards ? f3 : f0) - before;
    if ((backwards ? f0 - f3 : f3 - f0) == 3 && base >= 0 && base + taps + 3 <= w) {
      const middle = (x0 + x3 - f0 - f3) * 0.5;
      const row = <i32>Math.floor(middle * tablePhases + 0.5);
      const wx = table + <usize>row * rowBytes, sx = rises + <usize>row * rowBytes;
      // Phases of the lanes less that of the table: whole pixels between lanes are in the samples.
      const turn = <f32>(x0 - f0 - <f64>row / tablePhases);
      const delta = f32x4.add(f32x4.splat(turn), f32x4.mul(lanes, f32x4.splat(backwards ? step + 1 : step - 1)));
      const p = line + ((<usize>base) << 2);
      let s = v128.load(p);
      let sum = f32x4.mul(s, v128.load32_splat(wx)), rise = f32x4.mul(s, v128.load32_splat(sx));
      for (let t: usize = 4; t < rowBytes; t += 4) {
        s = v128.load(p + t);
        sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(wx + t)));
        rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(sx + t)));
      }
      const q = p + inner;
      let least = f32x4.pmin(f32x4.pmin(v128.load(q), v128.load(q, 4)), f32x4.pmin(v128.load(q, 8), v128.load(q, 12)));
      let value = f32x4.add(sum, f32x4.mul(rise, delta));
      if (backwards) {
        value = v128.shuffle<i32>(value, value, 3, 2, 1, 0);
        least = v128.shuffle<i32>(least, least, 3, 2, 1, 0);
      }
      v128.store(sums, value);
      v128.store(leasts, least);
      continue;
    }
    for (let l: usize = 0; l < 4; l++) {
      const x = across * <f64>(first + k + <i32>l) + start;
      const at = sums + (l << 2), atLeast = leasts + (l << 2);
      // A place beyond the border may be wanted by a row whose own place is within: the kernel leans.
      if (!(x >= -1.5 && x <= <f64>w + 0.5)) { store<f32>(at, <f32>NaN); store<f32>(atLeast, 0); continue; }
      const fx = Math.floor(x);
      const wx = table + <usize>(<i32>Math.floor((x - fx) * tablePhases + 0.5)) * rowBytes;
      const left = <i32>fx - before;
      let sum: f32 = 0, least = <f32>Infinity;
      for (let t = 0; t < taps; t++) {
        const sample = load<f32>(line + ((<usize>clampIndex(left + t, w)) << 2));
        sum += sample * load<f32>(wx + ((<usize>t) << 2));
        const k4 = t - (taps >> 1) + 2;
        if (k4 >= 0 && k4 < 4 && sample < least) least = sample;
      }
      store<f32>(at, sum);
      store<f32>(atLeast, least);
    }
  }
}

// @ts-ignore: decorator
@inline function levelled(pair: v128, offset: f64): v128 {
  return f64x2.add(f64x2.mul(f64x2.promote_low_f32x4(pair), f64x2.splat(toScale)), f64x2.add(f64x2.splat(offset), f64x2.mul(f64x2(0, 1), f64x2.splat(toDx))));
}

/**
 * `count` columns of the rows in the ring at (a i + x0, d i + y0), i from `first` on, brought to their levels; the first `skip` are not stored.
 */
function downColumns(
  sums: usize, leasts: usize, a: f64, x0: f64, d: f64, y0: f64, first: i32, count: i32, skip: i32, level: f64, out: usize,
): void {
  const taps = tableTaps, before = (taps >> 1) - 1, inner = (taps >> 1) - 2, rowBytes = (<usize>taps) << 2;
  const right = <f64>sourceWidth - 0.5, bottom = <f64>sourceHeight - 0.5;
  const lanes = scratchAt + ((<usize>(2 * RING * STRIPE + RING)) << 2);
  const slope = f32x4.mul(f32x4(0, 1, 2, 3), f32x4.splat(<f32>d));
  for (let k = 0; k < count; k += 4, sums += 16, leasts += 16, out += 16) {
    const x = a * <f64>(first + k) + x0, xEnd = x + 3 * a;
    const y = d * <f64>(first + k) + y0, yEnd = y + 3 * d;
    const fy = Math.floor(y);
    const top = <i32>fy - before;
    let value: v128;
    if (
      fy == Math.floor(yEnd) && Math.min(y, yEnd) >= -0.5 && Math.max(y, yEnd) <= bottom && Math.min(x, xEnd) >= -0.5 && Math.max(x, xEnd) <= right
    ) {
      const row = <i32>Math.floor(((y + yEnd) * 0.5 - fy) * tablePhases + 0.5);
      const wy = table + <usize>row * rowBytes, sy = rises + <usize>row * rowBytes;
      const delta = f32x4.add(f32x4.splat(<f32>(y - fy - <f64>row / tablePhases)), slope);
      let s = v128.load(ringRow(sums, top));
      let sum = f32x4.mul(s, v128.load32_splat(wy)), rise = f32x4.mul(s, v128.load32_splat(sy));
      for (let t = 1; t < taps; t++) {
        s = v128.load(ringRow(sums, top + t));
        sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(wy + ((<usize>t) << 2))));
        rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(sy + ((<usize>t) << 2))));
      }
      const least = f32x4.pmin(
        f32x4.pmin(v128.load(ringRow(leasts, top + inner)), v128.load(ringRow(leasts, top + inner + 1))),
        f32x4.pmin(v128.load(ringRow(leasts, top + inner + 2)), v128.load(ringRow(leasts, top + inner + 3))),
      );
      value = f32x4.add(sum, f32x4.mul(rise, delta));
      value = v128.bitselect(least, value, f32x4.lt(value, least));
    } else {
      for (let l: usize = 0; l < 4; l++)
        store<f32>(lanes + (l << 2), downColumn(sums + (l << 2), leasts + (l << 2), x + a * <f64>l, y + d * <f64>l));
      value = v128.load(lanes);
    }
    const offset = level + toDx * <f64>(first + k);
    const low = f32x4.demote_f64x2_zero(levelled(value, offset));
    const high = f32x4.demote_f64x2_zero(levelled(v128.shuffle<i64>(value, value, 1, 0), offset + 2 * toDx));
    value = v128.shuffle<i64>(low, high, 0, 2);
    if (k >= skip && k + 4 <= count) {
      v128.store(out, value);
      continue;
    }
    v128.store(lanes, value);
    for (let l = 0; l < 4; l++)
      if (k + l >= skip && k + l < count) store<f32>(out + ((<usize>l) << 2), load<f32>(lanes + ((<usize>l) << 2)));
  }
}

/** One column of the rows in the ring at its own phase. */
function downColumn(sums: usize, leasts: usize, x: f64, y: f64): f32 {
  if (!(x >= -0.5 && y >= -0.5 && x <= <f64>sourceWidth - 0.5 && y <= <f64>sourceHeight - 0.5)) return <f32>NaN;
  const taps = tableTaps, inner = (taps >> 1) - 2;
  const fy = Math.floor(y);
  const wy = table + (((<usize>(<i32>Math.floor((y - fy) * tablePhases + 0.5)))) * (<usize>taps) << 2);
  const top = <i32>fy - (taps >> 1) + 1;
  let sum: f32 = 0, least = <f32>Infinity;
  for (let t = 0; t < taps; t++) {
    sum += load<f32>(ringRow(sums, top + t)) * load<f32>(wy + ((<usize>t) << 2));
    const v = load<f32>(ringRow(leasts, top + t));
    if (t >= inner && t < inner + 4 && v < least) least = v;
  }
  return sum < least ? least : sum;
}

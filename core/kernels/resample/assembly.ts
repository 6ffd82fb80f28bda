// Resampling: for each place taps × taps samples with tabulated weights, raised to the least of the inner 4 × 4. Source of the weights: the caller.
// Where the grid nearly agrees with the source's pixels, rows of the source are interpolated first, four columns at a time, and then columns of these
// (two passes: Catmull & Smith 1980, SIGGRAPH 14, 279). Four neighbours have nearly one phase, and share its weights and their slopes; columns are
// taken in runs that lie between the same two pixels. The cubic is worked out as a polynomial, at the phase of each.

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
let table: usize, tableTaps: i32, tablePhases: f64, scratchAt: usize;
let coarse: usize, coarsePhases: f64, coarsePart: f64;
let toScale: f64, toLevel: f64, toDx: f64, toDy: f64;

export function resampleFrom(src: usize, w: i32, h: i32): void { source = src; sourceWidth = w; sourceHeight = h; }

/** `weights`: rows of `taps` floats, (phases + 1) of them, with room for a vector after the last. `scratch`: RING × STRIPE × 2 floats, RING integers. */
export function resampleWith(weights: usize, taps: i32, phases: f64, scratch: usize): void {
  table = weights; tableTaps = taps; tablePhases = phases; scratchAt = scratch;
}

/** For grids that nearly agree with the source: rows of `taps` weights and `taps` slopes, so few that they stay in the nearest cache. */
export function resampleNear(weights: usize, phases: f64): void { coarse = weights; coarsePhases = phases; coarsePart = 1 / phases; }

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

let nodesX: usize, nodesY: usize, nodeColumns: i32, nodeRows: i32, acrossX: usize, acrossY: usize;

/** A mesh: coefficients of a cubic B-spline along x and y as floats; `scratch`: two rows of doubles. */
export function resampleNodes(dx: usize, dy: usize, columns: i32, rows: i32, scratch: usize): void {
  nodesX = dx; nodesY = dy; nodeColumns = columns; nodeRows = rows;
  acrossX = scratch; acrossY = scratch + ((<usize>columns) << 3);
}

// Weights of the four coefficients around a place t past the second.
let spline0: f64, spline1: f64, spline2: f64, spline3: f64;
// @ts-ignore: decorator
@inline function splineAt(t: f64): void {
  const s = t * t, c = s * t, r = 1 - t;
  spline0 = r * r * r / 6; spline1 = (3 * c - 6 * s + 4) / 6; spline2 = (3 * s - 3 * c + 3 * t + 1) / 6; spline3 = c / 6;
}

/** `columns` × `rows` pixels, each at its place by the matrix and the mesh; (u, v): the first one in nodes, `perPx` nodes a pixel. */
export function resampleMeshGrid(
  u: f64, v: f64, perPx: f64, a: f64, b: f64, c: f64, d: f64, e: f64, f: f64, columns: i32, rows: i32, out: usize,
): void {
  for (let j = 0; j < rows; j++) {
    const row = v + <f64>j * perPx;
    const floor = Math.floor(row), top = <i32>floor - 1;
    splineAt(row - floor);
    const r0 = <usize>(clampIndex(top, nodeRows) * nodeColumns) << 2, r1 = <usize>(clampIndex(top + 1, nodeRows) * nodeColumns) << 2;
    const r2 = <usize>(clampIndex(top + 2, nodeRows) * nodeColumns) << 2, r3 = <usize>(clampIndex(top + 3, nodeRows) * nodeColumns) << 2;
    for (let k = 0; k < nodeColumns; k++) {
      const at = (<usize>k) << 2, to = (<usize>k) << 3;
      store<f64>(acrossX + to, spline0 * load<f32>(nodesX + r0 + at) + spline1 * load<f32>(nodesX + r1 + at) + spline2 * load<f32>(nodesX + r2 + at) + spline3 * load<f32>(nodesX + r3 + at));
      store<f64>(acrossY + to, spline0 * load<f32>(nodesY + r0 + at) + spline1 * load<f32>(nodesY + r1 + at) + spline2 * load<f32>(nodesY + r2 + at) + spline3 * load<f32>(nodesY + r3 + at));
    }
    const x0 = b * <f64>j + c, y0 = e * <f64>j + f;
    const level = toLevel + toDy * <f64>j;
    const line = out + ((<usize>(j * columns)) << 2);
    for (let i = 0; i < columns; i++) {
      const column = u + <f64>i * perPx;
      const start = Math.floor(column), left = <i32>start - 1;
      splineAt(column - start);
      const k0 = (<usize>clampIndex(left, nodeColumns)) << 3, k1 = (<usize>clampIndex(left + 1, nodeColumns)) << 3;
      const k2 = (<usize>clampIndex(left + 2, nodeColumns)) << 3, k3 = (<usize>clampIndex(left + 3, nodeColumns)) << 3;
      const x = a * <f64>i + x0 + spline0 * load<f64>(acrossX + k0) + spline1 * load<f64>(acrossX + k1) + spline2 * load<f64>(acrossX + k2) + spline3 * load<f64>(acrossX + k3);
      const y = d * <f64>i + y0 + spline0 * load<f64>(acrossY + k0) + spline1 * load<f64>(acrossY + k1) + spline2 * load<f64>(acrossY + k2) + spline3 * load<f64>(acrossY + k3);
      const value = sampleAt(source, sourceWidth, sourceHeight, table, tableTaps, tablePhases, x, y);
      store<f32>(line + ((<usize>i) << 2), <f32>(<f64>value * toScale + (level + toDx * <f64>i)));
    }
  }
}

const STRIPE: i32 = 128;
const RING: i32 = 16;

/** Row r of the ring: of each group of four columns the values, then the least samples. */
// @ts-ignore: decorator
@inline function ringRow(r: i32): usize { return scratchAt + ((<usize>((r & (RING - 1)) * STRIPE)) << 3); }

/** Where the value of column k of a row of the ring lies; its least follows 16 bytes after. */
// @ts-ignore: decorator
@inline function ringAt(row: usize, k: i32): usize { return row + ((<usize>(k >> 2)) << 5) + ((<usize>(k & 3)) << 2); }

/** Columns from … end of a block (from may be negative: not stored) for all its rows. */
function nearStripe(
  a: f64, b: f64, c: f64, d: f64, e: f64, f: f64,
  i0: i32, j0: i32, from: i32, end: i32, rows: i32, pitch: i32, out: usize,
): void {
  const taps = tableTaps, before = (taps >> 1) - 1;
  const tags = scratchAt + ((<usize>(RING * STRIPE)) << 3);
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
        alongRow(r, across, lean * <f64>r + start, i0 + from, end - from, ringRow(r));
     }
    downColumns(a, b * <f64>(j0 + j) + c, d, y0, i0 + from, end - from, from < 0 ? -from : 0, toLevel + toDy * <f64>(j0 + j), out + ((<usize>(j * pitch + from)) << 2));
  }
}

/** How many of the `most` columns from one on surely lie between the same two pixels as it, `part` px after the first, if each lies `drift` px further. */
// @ts-ignore: decorator
@inline function steady(part: f64, drift: f64, most: i32): i32 {
  const room = drift > 0 ? (1 - part) / drift : drift < 0 ? part / -drift : Infinity;
  return room - 1 < <f64>most ? <i32>(room - 1) : most;
}

/** Row r of the source at `count` places across i + start, i from `first` on, and the least of the four samples around each. */
function alongRow(r: i32, across: f64, start: f64, first: i32, count: i32, out: usize): void {
  const w = sourceWidth, taps = tableTaps, before = (taps >> 1) - 1;
  const line = source + (((<usize>clampIndex(r, sourceHeight)) * <usize>w) << 2);
  const rowBytes = (<usize>taps) << 2;
  const backwards = across < 0;
  for (let k = 0; k < count;) {
    const x0 = across * <f64>(first + k) + start, x3 = x0 + 3 * across;
    const f0 = Math.floor(x0), f3 = Math.floor(x3);
    const base = <i32>(backwards ? f3 : f0) - before;
    if ((backwards ? f0 - f3 : f3 - f0) == 3 && base >= 0 && base + taps + 3 <= w) {
      // Groups whose samples begin four further each, as long as no column slips past a pixel nor samples past the border.
      let groups = steady(x0 - f0, backwards ? across + 1 : across - 1, count - k) >> 2;
      const room = backwards ? base >> 2 : (w - base - taps - 3) >> 2;
      groups = groups - 1 < room ? groups - 1 : room;
      if (groups < 1) groups = 1;
      const p = line + ((<usize>base) << 2), at = ringAt(out, k);
      if (taps == 4) {
        if (backwards) alongKeys(true, p, across, start, first + k, groups, f0, at);
        else alongKeys(false, p, across, start, first + k, groups, f0, at);
     }
      else if (taps == 6) alongGroups(6, backwards, p, across, start, first + k, groups, f0, at);
      else alongGroups(8, backwards, p, across, start, first + k, groups, f0, at);
      k += groups << 2;
      continue;
    }
    for (let l = 0; l < 4; l++, k++) {
      const x = across * <f64>(first + k) + start;
      const at = ringAt(out, k);
      // A place beyond the border may be wanted by a row whose own place is within: the kernel leans.
      if (!(x >= -1.5 && x <= <f64>w + 0.5)) { store<f32>(at, <f32>NaN); store<f32>(at, 0, 16); continue; }
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
      store<f32>(at, least, 16);
    }
  }
}

/** Keys' cubic (a = −1/2) through b and c at t from b to c: the Hermite form of its polynomial. Source: Keys 1981, IEEE ASSP 29, 1153. */
// @ts-ignore: decorator
@inline function keys(a: v128, b: v128, c: v128, d: v128, t: v128): v128 {
  const half = f32x4.splat(0.5);
  const before = f32x4.sub(b, a), between = f32x4.sub(c, b), after = f32x4.sub(d, c);
  const rise = f32x4.mul(half, f32x4.add(before, between));
  const bend = f32x4.sub(f32x4.mul(half, f32x4.add(before, after)), between);
  const curve = f32x4.add(f32x4.sub(f32x4.sub(between, rise), bend), f32x4.mul(t, bend));
  return f32x4.add(b, f32x4.mul(t, f32x4.add(rise, f32x4.mul(t, curve))));
}

// @ts-ignore: decorator
@inline function leastOfFour(a: v128, b: v128, c: v128, d: v128): v128 { return f32x4.pmin(f32x4.pmin(a, b), f32x4.pmin(c, d)); }

/** `alongGroups` for the cubic, whose weights need no table. */
// @ts-ignore: decorator
@inline function alongKeys(backwards: bool, p: usize, across: f64, start: f64, first: i32, groups: i32, f0: f64, out: usize): void {
  const drift = backwards ? across + 1 : across - 1;
  const lanes = f32x4.mul(backwards ? f32x4(3, 2, 1, 0) : f32x4(0, 1, 2, 3), f32x4.splat(<f32>drift));
  const end = out + ((<usize>groups) << 5);
  let i = <f64>first;
  const shift = start - (backwards ? f0 + i : f0 - i);
  for (; out < end; out += 32, i += 4, p = backwards ? p - 16 : p + 16) {
    const t = f32x4.add(f32x4.splat(<f32>(drift * i + shift)), lanes);
    const a = v128.load(p), b = v128.load(p, 4), c = v128.load(p, 8), d = v128.load(p, 12);
    let value = keys(a, b, c, d, t), least = leastOfFour(a, b, c, d);
    if (backwards) {
      value = v128.shuffle<i32>(value, value, 3, 2, 1, 0);
      least = v128.shuffle<i32>(least, least, 3, 2, 1, 0);
    }
    v128.store(out, value);
    v128.store(out, least, 16);
  }
}

/** `downGroups` for the cubic. */
function downKeys(k: i32, top: i32, d: f64, y0: f64, first: i32, groups: i32, fy: f64, level: f64, out: usize): void {
  const lanes = f32x4.mul(f32x4(0, 1, 2, 3), f32x4.splat(<f32>d));
  const scale = f32x4.splat(<f32>toScale), tilt = f32x4.mul(f32x4(0, 1, 2, 3), f32x4.splat(<f32>toDx));
  const end = out + ((<usize>groups) << 4);
  let p0 = ringAt(ringRow(top), k), p1 = ringAt(ringRow(top + 1), k), p2 = ringAt(ringRow(top + 2), k), p3 = ringAt(ringRow(top + 3), k);
  const shift = y0 - fy;
  let i = <f64>first;
  for (; out < end; out += 16, i += 4, p0 += 32, p1 += 32, p2 += 32, p3 += 32) {
    const t = f32x4.add(f32x4.splat(<f32>(d * i + shift)), lanes);
    const value = keys(v128.load(p0), v128.load(p1), v128.load(p2), v128.load(p3), t);
    const least = leastOfFour(v128.load(p0, 16), v128.load(p1, 16), v128.load(p2, 16), v128.load(p3, 16));
    const offset = f32x4.add(f32x4.splat(<f32>(level + toDx * i)), tilt);
    v128.store(out, f32x4.add(f32x4.mul(f32x4.pmax(value, least), scale), offset));
  }
}

/** Groups of four columns that lie between the same two pixels, as counted from the first: at f0 and on. `p`: the first's samples. */
// @ts-ignore: decorator
@inline function alongGroups(
  taps: usize, backwards: bool, p: usize, across: f64, start: f64, first: i32, groups: i32, f0: f64, out: usize,
): void {
  const rowBytes = taps << 3, inner = ((taps >> 1) - 2) << 2;
  const drift = backwards ? across + 1 : across - 1;
  // Lanes lie as their samples do in memory; mirrored, that is from the last to the first.
  const lanes = f32x4.mul(backwards ? f32x4(3, 2, 1, 0) : f32x4(0, 1, 2, 3), f32x4.splat(<f32>drift));
  const end = out + ((<usize>groups) << 5);
  let i = <f64>first;
  const shift = start - (backwards ? f0 + i : f0 - i), middle = 1.5 * drift * coarsePhases + 0.5;
  for (; out < end; out += 32, i += 4, p = backwards ? p - 16 : p + 16) {
    const part = drift * i + shift;
    const row = <i32>(part * coarsePhases + middle);
    const w = coarse + <usize>row * rowBytes;
    // Phases of the lanes less that of the table: whole pixels between lanes are in the samples.
    const delta = f32x4.add(f32x4.splat(<f32>(part - <f64>row * coarsePart)), lanes);
    let s = v128.load(p);
    let sum = f32x4.mul(s, v128.load32_splat(w)), rise = f32x4.mul(s, v128.load32_splat(w, 4));
    s = v128.load(p, 4);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 8)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 12)));
    s = v128.load(p, 8);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 16)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 20)));
    s = v128.load(p, 12);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 24)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 28)));
    if (taps > 4) { s = v128.load(p, 16);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 32)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 36)));
    s = v128.load(p, 20);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 40)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 44)));
    }
    if (taps > 6) { s = v128.load(p, 24);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 48)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 52)));
    s = v128.load(p, 28);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 56)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 60)));
    }
    const q = p + inner;
    let least = f32x4.pmin(f32x4.pmin(v128.load(q), v128.load(q, 4)), f32x4.pmin(v128.load(q, 8), v128.load(q, 12)));
    let value = f32x4.add(sum, f32x4.mul(rise, delta));
    if (backwards) {
      value = v128.shuffle<i32>(value, value, 3, 2, 1, 0);
      least = v128.shuffle<i32>(least, least, 3, 2, 1, 0);
    }
    v128.store(out, value);
    v128.store(out, least, 16);
  }
}

/** Whether both of two places lie no more than half a pixel outside the picture. */
// @ts-ignore: decorator
@inline function within(one: f64, other: f64, end: f64): bool { return Math.min(one, other) >= -0.5 && Math.max(one, other) <= end; }

/**
 * `count` columns of the rows in the ring at (a i + x0, d i + y0), i from `first` on, brought to their levels; the first `skip` are not stored.
 */
function downColumns(
  a: f64, x0: f64, d: f64, y0: f64, first: i32, count: i32, skip: i32, level: f64, out: usize,
): void {
  const taps = tableTaps, before = (taps >> 1) - 1;
  const right = <f64>sourceWidth - 0.5, bottom = <f64>sourceHeight - 0.5;
  const lanes = scratchAt + ((<usize>(2 * RING * STRIPE + RING)) << 2);
  for (let k = 0; k < count;) {
    const x = a * <f64>(first + k) + x0, y = d * <f64>(first + k) + y0;
    const fy = Math.floor(y);
    const at = out + ((<usize>k) << 2);
    let groups = 1;
    if (fy == Math.floor(y + 3 * d) && within(x, x + 3 * a, right) && within(y, y + 3 * d, bottom)) {
      const whole = k >= skip && k + 4 <= count;
      if (whole) groups = steady(y - fy, d, count - k) >> 2;
      // Fewer, until the last is within the picture as well.
      while (groups > 1 && !(within(x, x + <f64>((groups << 2) - 1) * a, right) && within(y, y + <f64>((groups << 2) - 1) * d, bottom))) groups >>= 1;
      if (groups < 1) groups = 1;
      const top = <i32>fy - before, target = whole ? at : lanes;
      if (taps == 4) downKeys(k, top, d, y0, first + k, groups, fy, level, target);
      else if (taps == 6) downGroups(6, k, top, d, y0, first + k, groups, fy, level, target);
      else downGroups(8, k, top, d, y0, first + k, groups, fy, level, target);
      if (!whole)
        for (let l = 0; l < 4; l++)
          if (k + l >= skip && k + l < count) store<f32>(at + ((<usize>l) << 2), load<f32>(lanes + ((<usize>l) << 2)));
    } else
      for (let l = 0; l < 4; l++) {
        if (k + l < skip || k + l >= count) continue;
        const i = <f64>(first + k + l);
        const value = downColumn(k + l, a * i + x0, d * i + y0);
        store<f32>(at + ((<usize>l) << 2), <f32>value * <f32>toScale + <f32>(level + toDx * i));
     }
    k += groups << 2;
  }
}

/** Groups of four columns whose samples lie in the same rows, from `top` on. */
// @ts-ignore: decorator
@inline function downGroups(
  taps: usize, k: i32, top: i32, d: f64, y0: f64, first: i32, groups: i32, fy: f64, level: f64, out: usize,
): void {
  const rowBytes = taps << 3;
  const slope = f32x4.mul(f32x4(0, 1, 2, 3), f32x4.splat(<f32>d));
  const scale = f32x4.splat(<f32>toScale), tilt = f32x4.mul(f32x4(0, 1, 2, 3), f32x4.splat(<f32>toDx));
  const end = out + ((<usize>groups) << 4);
  const shift = y0 - fy, middle = 1.5 * d * coarsePhases + 0.5;
  let i = <f64>first;
  let p0 = ringAt(ringRow(top), k), p1 = ringAt(ringRow(top + 1), k), p2 = ringAt(ringRow(top + 2), k), p3 = ringAt(ringRow(top + 3), k);
  let p4: usize = 0, p5: usize = 0, p6: usize = 0, p7: usize = 0;
  if (taps > 4) { p4 = ringAt(ringRow(top + 4), k); p5 = ringAt(ringRow(top + 5), k); }
  if (taps > 6) { p6 = ringAt(ringRow(top + 6), k); p7 = ringAt(ringRow(top + 7), k); }
  for (; out < end; out += 16, i += 4) {
    const part = d * i + shift;
    const row = <i32>(part * coarsePhases + middle);
    const w = coarse + <usize>row * rowBytes;
    const delta = f32x4.add(f32x4.splat(<f32>(part - <f64>row * coarsePart)), slope);
    let s = v128.load(p0);
    let sum = f32x4.mul(s, v128.load32_splat(w)), rise = f32x4.mul(s, v128.load32_splat(w, 4));
    s = v128.load(p1);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 8)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 12)));
    s = v128.load(p2);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 16)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 20)));
    s = v128.load(p3);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 24)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 28)));
    if (taps > 4) { s = v128.load(p4);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 32)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 36)));
    s = v128.load(p5);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 40)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 44)));
    }
    if (taps > 6) { s = v128.load(p6);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 48)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 52)));
    s = v128.load(p7);
    sum = f32x4.add(sum, f32x4.mul(s, v128.load32_splat(w, 56)));
    rise = f32x4.add(rise, f32x4.mul(s, v128.load32_splat(w, 60)));
    }
    let least: v128;
    if (taps == 4) least = f32x4.pmin(f32x4.pmin(v128.load(p0, 16), v128.load(p1, 16)), f32x4.pmin(v128.load(p2, 16), v128.load(p3, 16)));
    else if (taps == 6) least = f32x4.pmin(f32x4.pmin(v128.load(p1, 16), v128.load(p2, 16)), f32x4.pmin(v128.load(p3, 16), v128.load(p4, 16)));
    else least = f32x4.pmin(f32x4.pmin(v128.load(p2, 16), v128.load(p3, 16)), f32x4.pmin(v128.load(p4, 16), v128.load(p5, 16)));
    const value = f32x4.add(sum, f32x4.mul(rise, delta));
    const offset = f32x4.add(f32x4.splat(<f32>(level + toDx * i)), tilt);
    v128.store(out, f32x4.add(f32x4.mul(f32x4.pmax(value, least), scale), offset));
    p0 += 32; p1 += 32; p2 += 32; p3 += 32;
    if (taps > 4) { p4 += 32; p5 += 32; }
    if (taps > 6) { p6 += 32; p7 += 32; }
  }
}

/** One column of the rows in the ring at its own phase. */
function downColumn(k: i32, x: f64, y: f64): f32 {
  if (!(x >= -0.5 && y >= -0.5 && x <= <f64>sourceWidth - 0.5 && y <= <f64>sourceHeight - 0.5)) return <f32>NaN;
  const taps = tableTaps, inner = (taps >> 1) - 2;
  const fy = Math.floor(y);
  const wy = table + (((<usize>(<i32>Math.floor((y - fy) * tablePhases + 0.5)))) * (<usize>taps) << 2);
  const top = <i32>fy - (taps >> 1) + 1;
  let sum: f32 = 0, least = <f32>Infinity;
  for (let t = 0; t < taps; t++) {
    const at = ringAt(ringRow(top + t), k);
    sum += load<f32>(at) * load<f32>(wy + ((<usize>t) << 2));
    const v = load<f32>(at, 16);
    if (t >= inner && t < inner + 4 && v < least) least = v;
  }
  return sum < least ? least : sum;
}

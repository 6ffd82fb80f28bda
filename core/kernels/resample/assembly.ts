// Resampling: for each place taps × taps samples with tabulated weights, raised to the least of the inner 4 × 4. Source of the weights: the caller.

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

/** `xs`, `ys`: n doubles. `weights`: rows of `taps` floats, (phases + 1) of them, with room for a vector after the last. `out`: n floats. */
export function resamplePlaces(src: usize, w: i32, h: i32, weights: usize, taps: i32, phases: f64, xs: usize, ys: usize, n: i32, out: usize): void {
  for (let i: usize = 0; i < <usize>n; i++)
    store<f32>(out + (i << 2), sampleAt(src, w, h, weights, taps, phases, load<f64>(xs + (i << 3)), load<f64>(ys + (i << 3))));
}

/** The same for `rows` × `columns` places of a grid: place (i, j) is (a i + b j + c, d i + e j + f). */
export function resampleGrid(
  src: usize, w: i32, h: i32, weights: usize, taps: i32, phases: f64,
  a: f64, b: f64, c: f64, d: f64, e: f64, f: f64, columns: i32, rows: i32, out: usize,
): void {
  for (let j = 0; j < rows; j++) {
    const x0 = b * <f64>j + c, y0 = e * <f64>j + f;
    for (let i = 0; i < columns; i++, out += 4)
      store<f32>(out, sampleAt(src, w, h, weights, taps, phases, a * <f64>i + x0, d * <f64>i + y0));
  }
}

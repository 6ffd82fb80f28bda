// Resampling: for each place 4 × 4 or 6 × 6 samples with tabulated weights, raised to the least of the inner 4 × 4. Source of the weights: the caller.

// @ts-ignore: decorator
@inline function clampIndex(i: i32, n: i32): i32 { return i < 0 ? 0 : i >= n ? n - 1 : i; }

// @ts-ignore: decorator
@inline function sumOf(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3);
}

// @ts-ignore: decorator
@inline function leastOf(v: v128): f32 {
  const pair = f32x4.min(v, v128.shuffle<i64>(v, v, 1, 0));
  return min<f32>(f32x4.extract_lane(pair, 0), f32x4.extract_lane(pair, 1));
}

/** `xs`, `ys`: n doubles. `weights`: rows of `taps` floats, (phases + 1) of them, with room for a vector after the last. `out`: n floats. */
export function resamplePlaces(src: usize, w: i32, h: i32, weights: usize, taps: i32, phases: f64, xs: usize, ys: usize, n: i32, out: usize): void {
  const before = (taps >> 1) - 1;
  const right = <f64>w - 0.5, bottom = <f64>h - 0.5;
  const pitch = (<usize>w) << 2;
  const row = (<usize>taps) << 2;
  const inner = (taps >> 1) - 2;
  for (let i: usize = 0; i < <usize>n; i++) {
    const x = load<f64>(xs + (i << 3)), y = load<f64>(ys + (i << 3));
    const to = out + (i << 2);
    if (!(x >= -0.5 && y >= -0.5 && x <= right && y <= bottom)) {
      store<f32>(to, <f32>NaN);
      continue;
    }
    const fx = Math.floor(x), fy = Math.floor(y);
    const wx = weights + <usize>(<i32>Math.floor((x - fx) * phases + 0.5)) * row;
    const wy = weights + <usize>(<i32>Math.floor((y - fy) * phases + 0.5)) * row;
    const left = <i32>fx - before, top = <i32>fy - before;
    let value: f32, least: f32;
    if (left >= 0 && top >= 0 && left + taps <= w && top + taps <= h) {
      let p = src + <usize>top * pitch + ((<usize>left) << 2);
      let sum = f32x4.splat(0);
      if (taps == 6) {
        const a = v128.load(wx), b = v128.load64_zero(wx, 16);
        let nearest = v128.load(p + pitch, 4);
        for (let j: usize = 0; j < 6; j++, p += pitch) {
          const line = f32x4.add(f32x4.mul(v128.load(p), a), f32x4.mul(v128.load64_zero(p, 16), b));
          sum = f32x4.add(sum, f32x4.mul(line, v128.load32_splat(wy + (j << 2))));
          if (j > 0 && j < 5) nearest = f32x4.min(nearest, v128.load(p, 4));
        }
        least = leastOf(nearest);
      } else {
        const a = v128.load(wx);
        let nearest = v128.load(p);
        for (let j: usize = 0; j < 4; j++, p += pitch) {
          const samples = v128.load(p);
          sum = f32x4.add(sum, f32x4.mul(f32x4.mul(samples, a), v128.load32_splat(wy + (j << 2))));
          nearest = f32x4.min(nearest, samples);
        }
        least = leastOf(nearest);
      }
      value = sumOf(sum);
    } else {
      value = 0;
      least = <f32>Infinity;
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
    }
    store<f32>(to, value < least ? least : value);
  }
}

// Profiles fitted to a square of samples, as plain.ts. Everything is doubles. Rows of matrices are an even number of doubles apart, so that two
// products go at a time; what lies right of the diagonal is scratch until it is mirrored.

const HEAD: i32 = 5;
const ATTEMPTS: i32 = 8;

/** What is fitted: the square, and how the model looks; set by the two entries below. */
let data: usize = 0, inverse: usize = 0, side: i32 = 0;
let points: i32 = 0, profiles: usize = 0, shares: usize = 0, channels: i32 = 0, entries: i32 = 0;
let levels: i32 = 0, cx: f64 = 0, cy: f64 = 0, leash: f64 = 0;
let n: i32 = 0, pitch: i32 = 0, gradient: usize = 0;

// @ts-ignore: decorator
@inline function at(from: usize, k: i32): f64 {
  return load<f64>(from + (<usize>k << 3));
}

// @ts-ignore: decorator
@inline function put(from: usize, k: i32, value: f64): void {
  store<f64>(from + (<usize>k << 3), value);
}

/** Value of stars of known profiles at (x, y), their slopes into the gradient from `first` on. */
function pointsAt(p: usize, x: f64, y: f64, w: f64, first: i32): f64 {
  let total: f64 = 0;
  const top = <f64>(entries - 2);
  for (let k = 0; k < points; k++) {
    const own = first + 3 * k;
    const dx = x - at(p, own), dy = y - at(p, own + 1), h = at(p, own + 2);
    let value: f64 = 0, vx: f64 = 0, vy: f64 = 0;
    for (let c = 0; c < channels; c++) {
      const profile = profiles + (<usize>(c * (HEAD + entries)) << 3);
      const table = profile + (<usize>HEAD << 3);
      const gx = at(profile, 0) * dx + at(profile, 1) * dy, gy = at(profile, 1) * dx + at(profile, 2) * dy;
      const q = gx * dx + gy * dy;
      const place = min(top, Math.sqrt(q) * at(profile, 4));
      const j = <i32>place;
      const low = at(table, j);
      const v = at(shares, c) * (low + (place - <f64>j) * (at(table, j + 1) - low));
      const slope = (-2 * at(profile, 3) * v) / (1 + q);
      value += v; vx += slope * gx; vy += slope * gy;
    }
    total += h * value;
    put(gradient, own, -w * h * vx);
    put(gradient, own + 1, -w * h * vy);
    put(gradient, own + 2, w * value);
  }
  return total;
}

/** The same of an elliptical Moffat profile of any shape: height, x, y, A, B, C, β. */
function peakAt(p: usize, x: f64, y: f64, w: f64, first: i32): f64 {
  const a = at(p, first + 3), b = at(p, first + 4), c = at(p, first + 5), beta = at(p, first + 6);
  const dx = x - at(p, first + 1), dy = y - at(p, first + 2);
  const t = 1 + a * dx * dx + 2 * b * dx * dy + c * dy * dy;
  const log = Math.log(t);
  const shape = Math.exp(-beta * log);
  const value = at(p, first) * shape;
  const slope = (-beta * w * value) / t;
  put(gradient, first, w * shape);
  put(gradient, first + 1, slope * -2 * (a * dx + b * dy));
  put(gradient, first + 2, slope * -2 * (b * dx + c * dy));
  put(gradient, first + 3, slope * dx * dx);
  put(gradient, first + 4, slope * 2 * dx * dy);
  put(gradient, first + 5, slope * dy * dy);
  put(gradient, first + 6, -w * value * log);
  return value;
}

/** Sum of squares of what parameters leave, and the equations of the step from there. */
function lookAt(p: usize, normal: usize, right: usize): f64 {
  memory.fill(normal, 0, <usize>(n * pitch) << 3);
  memory.fill(right, 0, <usize>pitch << 3);
  memory.fill(gradient, 0, <usize>pitch << 3);
  const middle = <f64>(side - 1) / 2;
  let cost: f64 = 0;
  for (let v = 0; v < side; v++)
    for (let u = 0; u < side; u++) {
      const i = v * side + u;
      const w = at(inverse, i), x = <f64>u, y = <f64>v;
      let model = at(p, 0);
      put(gradient, 0, w);
      if (levels == 3) {
        put(gradient, 1, w * (x - middle));
        put(gradient, 2, w * (y - middle));
        model += at(p, 1) * (x - middle) + at(p, 2) * (y - middle);
      }
      model += points > 0 ? pointsAt(p, x, y, w, levels) : peakAt(p, x, y, w, levels);
      const residual = at(data, i) - w * model;
      cost += residual * residual;
      for (let a = 0; a < n; a++) {
        const slope = at(gradient, a);
        put(right, a, at(right, a) + slope * residual);
        const row = normal + (<usize>(a * pitch) << 3);
        const twice = f64x2.splat(slope);
        for (let b = 0; b <= a; b += 2) {
          const to = row + (<usize>b << 3);
          v128.store(to, f64x2.add(v128.load(to), f64x2.mul(twice, v128.load(gradient + (<usize>b << 3)))));
        }
      }
    }
  return cost;
}

/** Whether parameters are in range: stars upright and inside the square, or a peak that is one, within its leash. */
function isAllowed(p: usize): bool {
  const middle = <f64>(side - 1) / 2;
  for (let k = 0; k < points; k++) {
    const own = levels + 3 * k;
    if (!(at(p, own + 2) > 0 && Math.abs(at(p, own) - middle) < middle && Math.abs(at(p, own + 1) - middle) < middle)) return false;
  }
  if (points > 0) return true;
  const a = at(p, levels + 3), b = at(p, levels + 4), c = at(p, levels + 5), beta = at(p, levels + 6);
  const dx = at(p, levels + 1) - cx, dy = at(p, levels + 2) - cy;
  return at(p, levels) > 0 && a > 0 && a * c - b * b > 0 && beta > 1.05 && beta < 20 && dx * dx + dy * dy < leash * leash;
}

/** The step from normal equations (lower triangle) with their diagonal raised, by Cholesky's method; false where there is none. */
function solve(normal: usize, right: usize, raise: f64, l: usize, step: usize): bool {
  for (let i = 0; i < n; i++)
    for (let j = 0; j <= i; j++) {
      let sum = at(normal, i * pitch + j);
      if (i == j) sum *= raise;
      for (let k = 0; k < j; k++) sum -= at(l, i * pitch + k) * at(l, j * pitch + k);
      if (i == j) {
        if (!(sum > 0)) return false;
        put(l, i * pitch + i, Math.sqrt(sum));
      } else put(l, i * pitch + j, sum / at(l, j * pitch + j));
    }
  for (let i = 0; i < n; i++) {
    let sum = at(right, i);
    for (let k = 0; k < i; k++) sum -= at(l, i * pitch + k) * at(step, k);
    put(step, i, sum / at(l, i * pitch + i));
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = at(step, i);
    for (let k = i + 1; k < n; k++) sum -= at(l, k * pitch + i) * at(step, k);
    put(step, i, sum / at(l, i * pitch + i));
  }
  return true;
}

/** Marquardt's method from the parameters at `p`, which become the fit; `room` is working room of (2 n + 6) · pitch and more. Cost and iterations, less 0 where it did not settle, go to `told`. */
function marquardt(p: usize, room: usize, most: i32, leastGain: f64, told: usize): void {
  const line = <usize>pitch << 3, square = <usize>n * line;
  gradient = room;
  let normal = room + line, right = normal + square, other = right + line, otherRight = other + square;
  const next = otherRight + line, step = next + line, l = step + line;
  let cost = lookAt(p, normal, right), damping: f64 = 1e-3;
  let isSettled = false, iterations = 0;
  while (!isSettled && iterations < most) {
    iterations++;
    const before = cost;
    let isLower = false;
    for (let attempt = 0; attempt < ATTEMPTS && !isLower; attempt++) {
      let there = before;
      if (solve(normal, right, 1 + damping, l, step)) {
        for (let a = 0; a < n; a++) put(next, a, at(p, a) + at(step, a));
        if (isAllowed(next)) there = lookAt(next, other, otherRight);
      }
      if (there < before) {
        isLower = true;
        cost = there;
        memory.copy(p, next, <usize>n << 3);
        let swap = normal; normal = other; other = swap;
        swap = right; right = otherRight; otherRight = swap;
        damping = max(1e-9, damping / 10);
      } else damping *= 10;
    }
    isSettled = !isLower || (before - cost) / before < leastGain;
  }
  put(told, 0, cost);
  put(told, 1, isSettled ? <f64>iterations : -<f64>iterations);
}

export function fitsPoints(
  samples: usize, weights: usize, across: i32, looks: usize, parts: usize, planes: i32, words: i32,
  p: usize, count: i32, room: usize, most: i32, leastGain: f64, told: usize,
): void {
  data = samples; inverse = weights; side = across;
  points = count; profiles = looks; shares = parts; channels = planes; entries = words;
  levels = 3; n = levels + 3 * count; pitch = (n + 1) & ~1;
  marquardt(p, room, most, leastGain, told);
}

export function fitsPeak(
  samples: usize, weights: usize, across: i32, ofLevel: i32, x: f64, y: f64, within: f64,
  p: usize, room: usize, most: i32, leastGain: f64, told: usize,
): void {
  data = samples; inverse = weights; side = across;
  points = 0; levels = ofLevel; cx = x; cy = y; leash = within; n = levels + 7; pitch = (n + 1) & ~1;
  marquardt(p, room, most, leastGain, told);
}

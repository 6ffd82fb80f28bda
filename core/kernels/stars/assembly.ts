// Stars drawn and solved as points, as plain.ts. A star is 4 + C doubles: x, y, x and y where it was found, heights. A profile is
// a, b, c, β, scale, the smaller eigenvalue of the form, and the least light that is drawn, then its table. Planes follow one another.

const STAR: i32 = 4;
const HEAD: i32 = 7;
const DECIDES: i32 = 4;

function number(at: usize, k: i32): f64 {
  return load<f64>(at + (<usize>k << 3));
}

function clamp(v: f64, most: f64): f64 {
  return max(-most, min(most, v));
}

function rounded(v: f64): i32 {
  return <i32>Math.floor(v + 0.5);
}

/** How far a star is drawn. */
function radiusOf(star: usize, channels: i32, profiles: usize, entries: i32, most: f64, least: f64): f64 {
  let radius = least;
  for (let c = 0; c < channels; c++) {
    const profile = profiles + (<usize>(c * (HEAD + entries)) << 3);
    const height = Math.abs(number(star, STAR + c));
    if (height == 0) continue;
    const q = Math.pow(height / number(profile, 6), 1 / number(profile, 3)) - 1;
    radius = max(radius, Math.sqrt(max(0, q) / number(profile, 5)));
  }
  return min(most, radius);
}

function drawStar(
  planes: usize, width: i32, height: i32, channels: i32, star: usize,
  profiles: usize, entries: i32, times: f64, most: f64, least: f64, softFrom: f64,
): void {
  const x = number(star, 0), y = number(star, 1);
  const cx = rounded(x), cy = rounded(y);
  const radius = radiusOf(star, channels, profiles, entries, most, least);
  const reach = <i32>Math.floor(radius);
  const square = radius * radius, inner = softFrom * radius * (softFrom * radius), fall = 1 / (square - inner);
  const top = <f64>(entries - 2);
  for (let c = 0; c < channels; c++) {
    const profile = profiles + (<usize>(c * (HEAD + entries)) << 3);
    const table = profile + (<usize>HEAD << 3);
    const a = number(profile, 0), b = 2 * number(profile, 1), d = number(profile, 2), scale = number(profile, 4);
    const light = times * number(star, STAR + c);
    if (light == 0) continue;
    const plane = planes + (<usize>(c * width * height) << 2);
    for (let v = max(0, cy - reach); v <= min(height - 1, cy + reach); v++) {
      const dy = <f64>v - y, rows = <f64>((v - cy) * (v - cy));
      for (let u = max(0, cx - reach); u <= min(width - 1, cx + reach); u++) {
        const r2 = rows + <f64>((u - cx) * (u - cx));
        if (r2 > square) continue;
        const dx = <f64>u - x;
        const at = min(top, Math.sqrt(a * dx * dx + b * dx * dy + d * dy * dy) * scale);
        const k = <i32>at;
        const low = number(table, k);
        const value = low + (at - <f64>k) * (number(table, k + 1) - low);
        const to = plane + (<usize>(v * width + u) << 2);
        store<f32>(to, <f32>(<f64>load<f32>(to) + light * value * (r2 < inner ? 1 : (square - r2) * fall)));
      }
    }
  }
}

export function starsDraw(
  planes: usize, width: i32, height: i32, channels: i32, stars: usize, count: i32,
  profiles: usize, entries: i32, times: f64, most: f64, least: f64, softFrom: f64,
): void {
  for (let n = 0; n < count; n++) {
    const star = stars + (<usize>(n * (STAR + channels)) << 3);
    drawStar(planes, width, height, channels, star, profiles, entries, times, most, least, softFrom);
  }
}

/** `eliminated`: four doubles a channel of working room. `sigmas`: of each sample. */
export function starsSolve(
  planes: usize, sigmas: usize, width: i32, height: i32, channels: i32, stars: usize, count: i32,
  profiles: usize, entries: i32, rounds: i32, leash: f64, step: f64, hold: f64, eliminated: usize,
  settled: f64, most: f64, least: f64, softFrom: f64,
): void {
  const top = <f64>(entries - 2);
  for (let round = 0; round < rounds; round++)
    for (let n = 0; n < count; n++) {
      const star = stars + (<usize>(n * (STAR + channels)) << 3);
      const x = number(star, 0), y = number(star, 1), x0 = number(star, 2), y0 = number(star, 3);
      const cx = rounded(x), cy = rounded(y);
      let xx = hold, xy: f64 = 0, yy = hold, rx = hold * (x0 - x), ry = hold * (y0 - y);
      let isTold = true;
      for (let c = 0; c < channels; c++) {
        const profile = profiles + (<usize>(c * (HEAD + entries)) << 3);
        const table = profile + (<usize>HEAD << 3);
        const a = number(profile, 0), b = number(profile, 1), d = number(profile, 2), scale = number(profile, 4);
        const slope = 2 * number(profile, 3) * number(star, STAR + c);
        let sxx: f64 = 0, sxy: f64 = 0, syy: f64 = 0, xp: f64 = 0, yp: f64 = 0, x1: f64 = 0, y1: f64 = 0;
        let pp: f64 = 0, p1: f64 = 0, one: f64 = 0, vx: f64 = 0, vy: f64 = 0, vp: f64 = 0, v1: f64 = 0;
        for (let v = max(0, cy - DECIDES); v <= min(height - 1, cy + DECIDES); v++)
          for (let u = max(0, cx - DECIDES); u <= min(width - 1, cx + DECIDES); u++) {
            const i = <usize>(c * width * height + v * width + u) << 2;
            const dx = <f64>u - x, dy = <f64>v - y;
            const gx = a * dx + b * dy, gy = b * dx + d * dy;
            const q = gx * dx + gy * dy;
            const at = min(top, Math.sqrt(q) * scale);
            const k = <i32>at;
            const low = number(table, k);
            const p = low + (at - <f64>k) * (number(table, k + 1) - low);
            const by = (slope * p) / (1 + q);
            const px = by * gx, py = by * gy;
            const sigma = <f64>load<f32>(sigmas + i);
            const w = 1 / (sigma * sigma);
            const value = w * <f64>load<f32>(planes + i);
            const wx = w * px, wy = w * py, wp = w * p;
            sxx += wx * px; sxy += wx * py; syy += wy * py; xp += wx * p; yp += wy * p; x1 += wx; y1 += wy;
            pp += wp * p; p1 += wp; one += w; vx += value * px; vy += value * py; vp += value * p; v1 += value;
          }
        const det = pp * one - p1 * p1;
        if (!(det > 1e-12 * pp * one)) { isTold = false; break; }
        const xh = (one * xp - p1 * x1) / det, xl = (pp * x1 - p1 * xp) / det;
        const yh = (one * yp - p1 * y1) / det, yl = (pp * y1 - p1 * yp) / det;
        const vh = (one * vp - p1 * v1) / det, vl = (pp * v1 - p1 * vp) / det;
        xx += sxx - (xp * xh + x1 * xl);
        xy += sxy - (xp * yh + x1 * yl);
        yy += syy - (yp * yh + y1 * yl);
        rx += vx - (xp * vh + x1 * vl);
        ry += vy - (yp * vh + y1 * vl);
        const room = eliminated + (<usize>(4 * c) << 3);
        store<f64>(room, vh); store<f64>(room + 8, xh); store<f64>(room + 16, yh); store<f64>(room + 24, det / one);
      }
      const det = xx * yy - xy * xy;
      if (!isTold || !(det > 0)) continue;
      const dx = (yy * rx - xy * ry) / det, dy = (xx * ry - xy * rx) / det;
      let gain = Math.abs(dx * rx + dy * ry);
      for (let c = 0; c < channels; c++) {
        const room = eliminated + (<usize>(4 * c) << 3);
        const more = load<f64>(room) - load<f64>(room + 8) * dx - load<f64>(room + 16) * dy;
        gain += more * more * load<f64>(room + 24);
      }
      if (gain < settled) continue;
      drawStar(planes, width, height, channels, star, profiles, entries, 1, most, least, softFrom);
      store<f64>(star, x0 + clamp(x + clamp(dx, step) - x0, leash));
      store<f64>(star + 8, y0 + clamp(y + clamp(dy, step) - y0, leash));
      for (let c = 0; c < channels; c++) {
        const room = eliminated + (<usize>(4 * c) << 3);
        const to = star + (<usize>(STAR + c) << 3);
        store<f64>(to, max(0, load<f64>(to) + load<f64>(room) - load<f64>(room + 8) * dx - load<f64>(room + 16) * dy));
      }
      drawStar(planes, width, height, channels, star, profiles, entries, -1, most, least, softFrom);
    }
}

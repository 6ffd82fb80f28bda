import { smoothed } from "./smoothed";
import type { Kernels, LineSums } from "../kernels";
import { median, medianInPlace, robustSpread, difference } from "../raster";
import type { Star } from "./stars";
import type { Line, Trail } from "./trail";
import { chordOf, trailTest } from "./trail";
import { measureBand } from "./trailBand";

/** Width to which pictures are reduced before the search: trails are wider than a pixel, and sums over a line gain nothing from more. */
const SEARCH_WIDTH = 512;
/** A line's mean must lie this many σ of all lines' means above their median: the highest of a million of pure noise lies near 5. */
const LEAST_SIGMA = 7;
/**
 * The line is cut into so many parts, each held against its sides: most must be brighter by themselves, and all together by many σ, fewer
 * where nearly all parts are. A galaxy or a bright star's rest is in a few parts; a nebula's ridge is as bright beside the line. In trial
 * nights the worst of what is no trail came to 17 σ in 5 of 9 parts and to 13 σ in 8 of 12, the faintest trail to 48 σ in all.
 */
const PARTS = 12;
const SIDE_PX = 6;
const PART_SIGMA = 2.5;
const CRITERIA = [
  { share: 0.6, sigma: 20 },
  { share: 0.85, sigma: 12 },
];
/** Outliers count at most this many σ, so that no hit makes a line. */
const CLIP_LOW = -3;
const CLIP_HIGH = 4;

/** Most trails that are looked for in one picture. */
const MOST_TRAILS = 4;

/**
 * The straight trails across a picture, of satellites and aircraft, the clearest first. The picture is reduced
 * to about 512 px, smooth light is taken off (starlet scales up to 16 px), stars are masked, and so are columns and rows that stand out as a
 * whole (those of the sensor, the same in all frames); then the means along all straight lines are found at once, and the one that stands
 * out most counts if at least 60 % of it is brighter than its sides: faint and tumbling satellites too. Place and width are measured again at full size;
 * then it is masked, and the next is looked for. O(n² log n) for n = 512.
 * Sources: sums along lines by the fast Hough transform, Brady 1998, SIAM J. Comput. 27, 107; normal form of a line, Duda & Hart 1972.
 */
export function findTrails(
  plane: Float32Array,
  width: number,
  height: number,
  stars: Pick<Star, "x" | "y" | "snr">[],
  fwhmPx: number,
  kernels: Kernels,
): Trail[] {
  const reduce = Math.max(1, Math.round(Math.max(width, height) / SEARCH_WIDTH));
  const w = Math.floor(width / reduce);
  const h = Math.floor(height / reduce);
  if (w < 64 || h < 64) return [];
  const small = reduced(plane, width, w, h, reduce);
  const masked = new Uint8Array(w * h);
  // Stars are filled too, or their light in the smooth picture would make the places without stars look bright.
  maskStarsInto(masked, w, h, stars, fwhmPx, reduce);
  fillGapsInPlace(small, masked, w, h);
  const detail = difference(small, smoothed(small, w, h, 4, kernels));
  const underStars = masked.slice();
  maskStripesInto(masked, detail, w, h);
  const open = new Float32Array(w * h);
  for (let i = 0; i < open.length; i++) open[i] = 1 - masked[i];
  const { centre, sigma } = kernels.robustSpread(whereOpen(detail, open));
  if (!(sigma > 0)) return [];
  for (let i = 0; i < detail.length; i++) {
    const t = (detail[i] - centre) / sigma;
    detail[i] = masked[i] === 1 ? 0 : t < CLIP_LOW ? CLIP_LOW : t > CLIP_HIGH ? CLIP_HIGH : t;
  }
  const trails: Trail[] = [];
  while (trails.length < MOST_TRAILS) {
    const found = clearestLine(detail, w, h, kernels);
    if (!found) break;
    const line = refined(detail, open, w, h, found);
    const share = brightShare(detail, open, w, h, line);
    if (share === 0) break;
    const { angle, offset } = normalForm(line);
    const shift = ((reduce - 1) / 2) * (Math.cos(angle) + Math.sin(angle));
    const picture = { plane, width, height, underStars, w, h, reduce };
    const trail = { share, ...measureBand(picture, { angle, offsetPx: offset * reduce + shift }) };
    trails.push(trail);
    const isOn = trailTest({ ...trail, below: trail.below + reduce, above: trail.above + reduce });
    for (let y = 0, i = 0; y < h; y++)
      for (let x = 0; x < w; x++, i++)
        if (isOn(x * reduce + (reduce - 1) / 2, y * reduce + (reduce - 1) / 2)) [detail[i], open[i]] = [0, 0];
  }
  return trails;
}

function normalForm({ x0, y0, x1, y1 }: Line): { angle: number; offset: number } {
  const angle = (Math.atan2(x1 - x0, y0 - y1) + 2 * Math.PI) % Math.PI;
  return { angle, offset: x0 * Math.cos(angle) + y0 * Math.sin(angle) };
}

function maskStarsInto(
  masked: Uint8Array,
  w: number,
  h: number,
  stars: Pick<Star, "x" | "y" | "snr">[],
  fwhmPx: number,
  reduce: number,
): void {
  for (const { x, y, snr } of stars) {
    if (snr < 6) continue;
    const radius = (fwhmPx * Math.min(8, 1 + 0.8 * Math.log(snr))) / reduce + 1;
    const [cx, cy] = [x / reduce, y / reduce];
    for (let py = Math.max(0, Math.ceil(cy - radius)); py <= Math.min(h - 1, cy + radius); py++)
      for (let px = Math.max(0, Math.ceil(cx - radius)); px <= Math.min(w - 1, cx + radius); px++)
        if (Math.hypot(px - cx, py - cy) <= radius) masked[py * w + px] = 1;
  }
}

/** Halves of a column or row that lie this many σ of all of them off, while their neighbours do not, are the sensor's own. */
const STRIPE_SIGMA = 5;
const NEIGHBOUR_SHARE = 0.4;

/**
 * Masks columns and rows that stand out alone, each half by itself: a warm column, a noisy row. They are a pixel wide, where a trail along
 * them is as wide as a star and lifts its neighbours too.
 */
function maskStripesInto(masked: Uint8Array, detail: Float32Array, w: number, h: number): void {
  for (const [count, length, step, stride] of [
    [w, h, 1, w],
    [h, w, w, 1],
  ]) {
    const half = length >> 1;
    const values = new Float32Array(length);
    for (const [first, last] of [
      [0, half],
      [half, length],
    ]) {
      const levels = Float32Array.from({ length: count }, (_, k) => {
        let n = 0;
        for (let j = first; j < last; j++) {
          const i = k * step + j * stride;
          if (masked[i] === 0) values[n++] = detail[i];
        }
        return n > 0 ? medianInPlace(values, n) : 0;
      });
      const { centre, sigma } = robustSpread(levels);
      for (let k = 0; k < count; k++) {
        const rise = Math.abs(levels[k] - centre);
        const beside = [k - 1, k + 1].map((n) => Math.abs((levels[n] ?? centre) - centre));
        if (!(rise > STRIPE_SIGMA * sigma) || Math.max(...beside) > NEIGHBOUR_SHARE * rise) continue;
        for (let j = first; j < last; j++) masked[k * step + j * stride] = 1;
      }
    }
  }
}

/** The line whose mean stands out most, over all four octants; null where none does. */
function clearestLine(detail: Float32Array, w: number, h: number, kernels: Kernels): Line | null {
  let best: { line: Line; z: number } | null = null;
  for (const turned of [false, true])
    for (const mirrored of [false, true]) {
      const [width, height] = turned ? [h, w] : [w, h];
      const view = (plane: Float32Array): Float32Array => {
        const out = new Float32Array(width * height);
        const [alongX, alongY] = turned ? [w, 1] : [1, w];
        for (let y = 0, i = 0; y < height; y++)
          for (let x = 0, k = (mirrored ? height - 1 - y : y) * alongY; x < width; x++, i++, k += alongX)
            out[i] = plane[k];
        return out;
      };
      const sums = kernels.lineSums(view(detail), width, height);
      const z = meansOver(sums, width, height);
      const { centre, sigma } = kernels.robustSpread(z, SPREAD_SAMPLES);
      if (!(sigma > 0)) continue;
      const top = placeOfLargest(z);
      const height0 = top < 0 ? 0 : (z[top] - centre) / sigma;
      if (height0 <= Math.max(LEAST_SIGMA, best?.z ?? 0)) continue;
      const { size, rows } = sums;
      const rise = Math.floor(top / rows);
      const start = (top % rows) - size;
      const points = [
        [0, start],
        [size - 1, start + rise],
      ].map(([x, y]) => (mirrored ? [x, height - 1 - y] : [x, y]));
      const [[x0, y0], [x1, y1]] = points.map(([x, y]) => (turned ? [y, x] : [x, y]));
      best = { line: { x0, y0, x1, y1 }, z: height0 };
    }
  return best && best.line;
}

/** Index of the largest value, NaN left out; −1 where there is none. */
function placeOfLargest(values: Float32Array): number {
  let top = -1;
  let most = -Infinity;
  for (let i = 0; i < values.length; i++)
    if (values[i] > most) {
      most = values[i];
      top = i;
    }
  return top;
}

/** The values that count. */
function whereOpen(values: Float32Array, open: Float32Array): Float32Array {
  const out = new Float32Array(values.length);
  let n = 0;
  for (let i = 0; i < values.length; i++) if (open[i] === 1) out[n++] = values[i];
  return out.subarray(0, n);
}

/** So many lines say how all of them scatter, to 1 %. */
const SPREAD_SAMPLES = 1 << 14;

/** Shortest chord of a line that is looked at, as a share of the picture's shorter side. */
const LEAST_CHORD = 0.35;

/** Sums over the root of the number of columns in which each line lies inside the picture; NaN for lines with a short chord. */
function meansOver({ values, size, rows }: LineSums, width: number, height: number): Float32Array {
  const least = LEAST_CHORD * Math.min(width, height);
  const out = new Float32Array(values.length);
  for (let rise = 0; rise < size; rise++) {
    const slope = rise / (size - 1);
    for (let y = 0, i = rise * rows; y < rows; y++, i++) {
      const start = y - size;
      const first = start >= 0 ? 0 : slope > 0 ? Math.min(width, -start / slope) : width;
      const last = slope > 0 ? Math.min(width, (height - start) / slope) : width;
      out[i] = last - first > least ? values[i] / Math.sqrt(last - first) : NaN;
    }
  }
  return out;
}

/** Samples of a line inside the picture, the nearest pixels, with how many of them count. */
function meanOnLine(detail: Float32Array, open: Float32Array, w: number, h: number, line: Line, from = 0, to = 1) {
  const { x0, y0, x1, y1 } = line;
  const steps = Math.ceil(Math.max(Math.abs(x1 - x0), Math.abs(y1 - y0)));
  let sum = 0;
  let count = 0;
  for (let k = Math.round(from * steps); k <= Math.round(to * steps); k++) {
    const x = Math.round(x0 + ((x1 - x0) * k) / steps);
    const y = Math.round(y0 + ((y1 - y0) * k) / steps);
    if (x < 0 || y < 0 || x >= w || y >= h) continue;
    sum += detail[y * w + x];
    count += open[y * w + x];
  }
  return { sum, count };
}

/** The best of the lines near one that was found on the coarse grid of rises. */
function refined(detail: Float32Array, open: Float32Array, w: number, h: number, line: Line): Line {
  const across = Math.abs(line.x1 - line.x0) >= Math.abs(line.y1 - line.y0);
  let best = line;
  let most = -Infinity;
  for (let first = -3; first <= 3; first += 0.5)
    for (let last = -3; last <= 3; last += 0.5) {
      const moved = across
        ? { ...line, y0: line.y0 + first, y1: line.y1 + last }
        : { ...line, x0: line.x0 + first, x1: line.x1 + last };
      const { sum, count } = meanOnLine(detail, open, w, h, moved);
      const z = count > 0 ? sum / Math.sqrt(count) : -Infinity;
      if (z > most) [best, most] = [moved, z];
    }
  return best;
}

/**
 * Share of the parts of a line's chord that are brighter than their sides, parts under stars left
 * out; 0 where too few can be measured or all
 * together do not stand out.
 */
function brightShare(detail: Float32Array, open: Float32Array, w: number, h: number, line: Line): number {
  const chord = chordOf(w, h, line);
  if (!chord) return 0;
  const [left, right] = [SIDE_PX, -SIDE_PX].map((distance) => besideBy(chord, distance));
  const parts: number[] = [];
  for (let k = 0; k < PARTS; k++) {
    const [middle, ...sides] = [chord, left, right].map((one) =>
      meanOnLine(detail, open, w, h, one, k / PARTS, (k + 1) / PARTS),
    );
    if (middle.count < 3) continue;
    const told = sides.filter(({ count }) => count >= 3);
    const beside = told.reduce((sum, one) => sum + one.sum / one.count / told.length, 0);
    const variance = 1 / middle.count + told.reduce((sum, { count }) => sum + 1 / count, 0) / (told.length || 1) ** 2;
    parts.push((middle.sum / middle.count - beside) / Math.sqrt(variance));
  }
  const total = parts.reduce((sum, part) => sum + part, 0) / Math.sqrt(parts.length);
  const share = parts.filter((part) => part > PART_SIGMA).length / parts.length;
  const isTrail = CRITERIA.some((least) => share >= least.share && total >= least.sigma);
  return parts.length >= PARTS / 2 && isTrail ? share : 0;
}

/** The parallel of a line at a distance in px. */
function besideBy({ x0, y0, x1, y1 }: Line, distance: number): Line {
  const step = distance / Math.hypot(x1 - x0, y1 - y0);
  const [dx, dy] = [(y0 - y1) * step, (x1 - x0) * step];
  return { x0: x0 + dx, y0: y0 + dy, x1: x1 + dx, y1: y1 + dy };
}

/**
 * Gives cells without data the value of the nearest cell above or below (the median of all where there is none), so that a gap has no
 * edge, and masks them. Changes `plane` and `masked`.
 */
function fillGapsInPlace(plane: Float32Array, masked: Uint8Array, w: number, h: number): void {
  const level = median(plane);
  for (let i = 0; i < plane.length; i++) if (plane[i] !== plane[i]) masked[i] = 1;
  for (let i = 0; i < plane.length; i++) {
    if (masked[i] === 0) continue;
    const x = i % w;
    const y = Math.floor(i / w);
    let value = level === level ? level : 0;
    for (let away = 1; away < h; away++) {
      const [above, below] = [(y - away) * w + x, (y + away) * w + x];
      if (y - away >= 0 && masked[above] === 0) value = plane[above];
      else if (y + away < h && masked[below] === 0) value = plane[below];
      else continue;
      break;
    }
    plane[i] = value;
  }
}

/** Means of r × r pixels; NaN counts as the mean of the others in its cell, and stays where there are none. */
function reduced(plane: Float32Array, width: number, w: number, h: number, r: number): Float32Array {
  const out = new Float32Array(w * h);
  for (let y = 0; y < r * h; y++)
    for (let x = 0, from = y * width, i = Math.floor(y / r) * w; x < w; x++, i++) {
      let sum = 0;
      for (const end = from + r; from < end; from++) sum += plane[from];
      out[i] += sum;
    }
  for (let i = 0; i < out.length; i++) out[i] /= r * r;
  // Cells with gaps are few, and are gone through again.
  for (let y = 0, i = 0; y < h; y++)
    for (let x = 0; x < w; x++, i++) {
      if (out[i] === out[i]) continue;
      let sum = 0;
      let count = 0;
      for (let v = 0; v < r; v++) {
        const row = (y * r + v) * width + x * r;
        for (let u = 0; u < r; u++) {
          const value = plane[row + u];
          if (value !== value) continue;
          sum += value;
          count++;
        }
      }
      out[i] = sum / count; // NaN for none
    }
  return out;
}

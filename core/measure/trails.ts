import { z } from "zod";
import type { Kernels } from "../kernels";
import { median, robustSpread } from "../raster";
import type { Star } from "./stars";

/** A straight trail: the line x cos(angle) + y sin(angle) = offset in pixel coordinates of the sub. */
export const trail = z.object({
  /** Direction of the line's normal in radians, from x towards y, 0 … π. */
  angle: z.number(),
  offsetPx: z.number(),
  /** Share of the line inside the picture that lies above 2.5 σ. */
  share: z.number(),
});
export type Trail = z.infer<typeof trail>;

/** Width that pictures are reduced to before the search, and the widest that stays as it is. */
const SEARCH_WIDTH = 900;
const ANGLES = 720;
const LEAST_SHARE = 0.4;
const POINT_SIGMA = 2.5;

/**
 * The clearest straight trail across a picture, of a satellite or an aircraft; null where there is none. The picture is reduced
 * to about 900 px, smooth light is taken off (starlet scales up to 16 px), stars are masked, and the points above 2.5 σ vote for
 * lines (¼° and 1 px steps). A trail counts when more of it than chance, and at least 40 % of the line, is above the limit.
 * Source: Hough transform in normal form, Duda & Hart 1972, CACM 15, 11.
 */
export function findTrail(
  plane: Float32Array,
  width: number,
  height: number,
  stars: Pick<Star, "x" | "y" | "snr">[],
  fwhmPx: number,
  kernels: Kernels,
): Trail | null {
  const reduce = Math.max(1, Math.round(width / SEARCH_WIDTH));
  const w = Math.floor(width / reduce);
  const h = Math.floor(height / reduce);
  if (w < 64 || h < 64) return null;
  const small = reduced(plane, width, w, h, reduce);
  const masked = new Uint8Array(w * h);
  fillGapsInPlace(small, masked, w, h);
  let smooth = small;
  for (let scale = 0; scale < 4; scale++) smooth = kernels.starletSmooth(smooth, w, h, scale);
  const detail = small.map((v, i) => v - smooth[i]);
  const { centre, sigma } = robustSpread(detail);
  if (!(sigma > 0)) return null;
  for (const { x, y, snr } of stars) {
    if (snr < 6) continue;
    const radius = (fwhmPx * Math.min(8, 1 + 0.8 * Math.log(snr))) / reduce + 1;
    const cx = x / reduce;
    const cy = y / reduce;
    for (let py = Math.max(0, Math.ceil(cy - radius)); py <= Math.min(h - 1, cy + radius); py++)
      for (let px = Math.max(0, Math.ceil(cx - radius)); px <= Math.min(w - 1, cx + radius); px++)
        if (Math.hypot(px - cx, py - cy) <= radius) masked[py * w + px] = 1;
  }
  const points: number[] = [];
  let open = 0;
  for (let i = 0; i < detail.length; i++) {
    if (masked[i] === 1) continue;
    open++;
    if (detail[i] - centre > POINT_SIGMA * sigma) points.push(i);
  }
  if (points.length === 0) return null;
  const reach = Math.ceil(Math.hypot(w, h));
  const cos = Float64Array.from({ length: ANGLES }, (_, a) => Math.cos((a * Math.PI) / ANGLES));
  const sin = Float64Array.from({ length: ANGLES }, (_, a) => Math.sin((a * Math.PI) / ANGLES));
  const votes = new Uint16Array(ANGLES * (2 * reach + 1));
  // With very many points every k-th votes; the chance level falls alike.
  const stride = Math.max(1, Math.ceil(points.length / 40_000));
  for (let k = 0; k < points.length; k += stride) {
    const x = points[k] % w;
    const y = Math.floor(points[k] / w);
    for (let a = 0; a < ANGLES; a++) votes[a * (2 * reach + 1) + Math.round(x * cos[a] + y * sin[a]) + reach]++;
  }
  const chance = points.length / open / stride;
  let best: { a: number; offset: number; share: number; excess: number } | null = null;
  for (let a = 0; a < ANGLES; a++)
    for (let offset = -reach + 1; offset < reach; offset++) {
      const at = a * (2 * reach + 1) + offset + reach;
      const count = votes[at];
      if (count < 12) continue;
      const length = chordLength(w, h, cos[a], sin[a], offset);
      if (length < 0.3 * Math.min(w, h)) continue;
      const expected = chance * length;
      const share = ((count - expected) * stride) / length;
      const excess = (count - expected) / Math.sqrt(expected + 1);
      if (share > LEAST_SHARE && excess > 10 && (!best || excess > best.excess)) best = { a, offset, share, excess };
    }
  if (!best) return null;
  const angle = (best.a * Math.PI) / ANGLES;
  const shift = ((reduce - 1) / 2) * (Math.cos(angle) + Math.sin(angle));
  return { angle, offsetPx: best.offset * reduce + shift, share: Math.min(1, best.share) };
}

/** Length of the line inside w × h pixels. */
function chordLength(w: number, h: number, cos: number, sin: number, offset: number): number {
  let low = -Infinity;
  let high = Infinity;
  // Points of the line: (offset cos − t sin, offset sin + t cos).
  for (const [start, slope, size] of [
    [offset * cos, -sin, w - 1],
    [offset * sin, cos, h - 1],
  ]) {
    if (Math.abs(slope) < 1e-9) {
      if (start < 0 || start > size) return 0;
      continue;
    }
    const [a, b] = [-start / slope, (size - start) / slope];
    low = Math.max(low, Math.min(a, b));
    high = Math.min(high, Math.max(a, b));
  }
  return Math.max(0, high - low);
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
  for (let y = 0, i = 0; y < h; y++)
    for (let x = 0; x < w; x++, i++) {
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

import type { Kernels } from "../kernels";
import { REACH } from "./covariance";
import { moffatProfile } from "./psf";

/** A source as narrow as a star: its place, how clearly it stands above the noise, and its height in each plane. */
export interface Point {
  x: number;
  y: number;
  /** How much of it counts: 0 … 1, rising over the threshold and falling where it is bright enough to look after itself. */
  weight: number;
  heights: number[];
}

/** Half the sides of the filter that finds points, and of the profile that is drawn of one. */
const FILTER = 5;
const PROFILE = 8;
/** A point counts in full this far above the threshold, not at all this far below; so nothing hangs on a hair. */
const SOFT = 0.5;
/** Brighter than this many σ a star stands clear of the noise. */
const CLEAR = 50;
/** Pixels around of which a point must be the highest. */
const AROUND = 2;
/** Surroundings that finding and drawing points need, in px. */
export const POINTS_HALO = FILTER + AROUND + PROFILE;

export interface PointShape {
  /** Along an axis between the long and the short one: their geometric mean. */
  fwhmPx: number;
  beta: number;
  /** Short over long axis. @default 1 */
  ratio?: number;
  /** Direction of the long axis in radians, from x towards y. @default 0 */
  angle?: number;
}

/** A matched filter for points: their profile less its mean. `sigma`: of its answers to noise of a given autocovariance. */
function matchedFilter(shape: PointShape, noise: Float64Array | readonly number[]) {
  const side = 2 * FILTER + 1;
  const profile = profileOf(shape);
  const taps = Float32Array.from({ length: side * side }, (_, k) =>
    profile((k % side) - FILTER, Math.floor(k / side) - FILTER),
  );
  const mean = taps.reduce((a, b) => a + b, 0) / taps.length;
  for (let k = 0; k < taps.length; k++) taps[k] -= mean;
  const power = taps.reduce((sum, v) => sum + v * v, 0);
  let variance = 0;
  const lags = 2 * REACH + 1;
  for (let v = -REACH; v <= REACH; v++)
    for (let u = -REACH; u <= REACH; u++) {
      const covariance = noise[(v + REACH) * lags + u + REACH];
      if (covariance === 0) continue;
      let product = 0;
      for (let y = Math.max(0, -v); y < Math.min(side, side - v); y++)
        for (let x = Math.max(0, -u); x < Math.min(side, side - u); x++)
          product += taps[y * side + x] * taps[(y + v) * side + x + u];
      variance += covariance * product;
    }
  return { taps, power, sigma: Math.sqrt(Math.max(0, variance)) / power };
}

/** The profile of a point as far as it is drawn. */
const profileOf = ({ fwhmPx, beta, ratio = 1, angle = 0 }: PointShape) => {
  const [fwhmMajor, fwhmMinor] = [fwhmPx / Math.sqrt(ratio), fwhmPx * Math.sqrt(ratio)];
  return moffatProfile({ fwhmMajor, fwhmMinor, angle, beta }, PROFILE + 1);
};

/** The matched filter of a shape, its answers in σ of what it answers to a noise. */
export interface PointFilter {
  /** Over a plane, mirrored at the border; null where that is narrower than the filter. */
  over(plane: Float32Array, width: number, height: number, kernels: Kernels): Float32Array | null;
  /** At a pixel that lies PEAKS_HALO from the border at least: as over the plane, to rounding. */
  at(plane: Float32Array, width: number, i: number): number;
  /** To a point of height 1 in its middle, of another shape. */
  to(star: PointShape): number;
}

/** The matched filter of a shape for noise of the autocovariance `noise` (to lags of 8 px); null where that has no noise. */
export function pointFilter(shape: PointShape, noise: readonly number[]): PointFilter | null {
  const { taps, power, sigma } = matchedFilter(shape, noise);
  if (!(sigma > 0)) return null;
  const side = 2 * FILTER + 1;
  const scaled = taps.map((tap) => tap / (power * sigma));
  return {
    over: (plane, width, height, kernels) =>
      Math.min(width, height) <= 2 * FILTER ? null : kernels.correlate(plane, width, height, scaled, side),
    at(plane, width, i) {
      let sum = 0;
      for (let y = 0, from = i - FILTER * (width + 1); y < side; y++, from += width)
        for (let x = 0; x < side; x++) sum += scaled[y * side + x] * plane[from + x];
      return sum;
    },
    to(star) {
      const profile = profileOf(star);
      return scaled.reduce((sum, tap, k) => sum + tap * profile((k % side) - FILTER, Math.floor(k / side) - FILTER), 0);
    },
  };
}

/** A maximum of the matched filter's answer. */
export interface Peak {
  x: number;
  y: number;
  /** The answer over the noise's. */
  significance: number;
  /** In each plane, how high a point there would be. */
  answers: number[];
}

/** Surroundings that finding peaks needs, in px. */
export const PEAKS_HALO = FILTER + AROUND;

/**
 * Maxima, within 5 × 5 px, of the answer of a matched filter on the first plane that lie `least` σ and more above the noise, placed by a parabola, their heights measured by the same filter in
 * every plane; planes of even noise. `noise`: autocovariance of the first plane's noise to lags of 8 px. None where the planes are narrower than the filter. O(121) a pixel. Source: matched
 * filter, e.g. Zackay & Ofek 2017, ApJ 836, 187.
 */
export function matchedPeaks(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  shape: PointShape,
  noise: readonly number[],
  least: number,
  kernels: Kernels,
): Peak[] {
  const { taps, power, sigma } = matchedFilter(shape, noise);
  if (!(sigma > 0) || Math.min(width, height) <= 2 * FILTER) return [];
  const scaled = taps.map((tap) => tap / power);
  const answers = planes.map((plane) => kernels.correlate(plane, width, height, scaled, 2 * FILTER + 1));
  const [first] = answers;
  const peaks: Peak[] = [];
  const edge = FILTER + AROUND;
  for (let y = edge; y < height - edge; y++)
    for (let x = edge; x < width - edge; x++) {
      const i = y * width + x;
      const answer = first[i];
      if (!(answer > least * sigma) || !isHighest(first, width, i)) continue;
      peaks.push({
        x: x + vertex(first[i - 1], answer, first[i + 1]),
        y: y + vertex(first[i - width], answer, first[i + width]),
        significance: answer / sigma,
        answers: answers.map((plane) => plane[i]),
      });
    }
  return peaks;
}

/** Points in planes of even noise: the peaks (matchedPeaks) at `threshold` σ and above, weight rising over the threshold and falling where they stand clear. */
export function findPoints(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  shape: PointShape,
  noise: readonly number[],
  threshold: number,
  kernels: Kernels,
): Point[] {
  return matchedPeaks(planes, width, height, shape, noise, threshold - SOFT, kernels).flatMap(
    ({ x, y, significance, answers }) => {
      const rise = Math.min(1, (significance - threshold + SOFT) / (2 * SOFT));
      const fall = Math.max(0, Math.min(1, 2 * (1 - significance / CLEAR)));
      return rise * fall === 0 ? [] : [{ x, y, weight: rise * fall, heights: answers }];
    },
  );
}

/** Adds points to planes, in place; with −1 it takes them off. */
export function drawPoints(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  points: readonly Point[],
  shape: PointShape,
  times: number,
): void {
  const profile = profileOf(shape);
  for (const { x, y, weight, heights } of points) {
    const [cx, cy] = [Math.round(x), Math.round(y)];
    for (let v = Math.max(0, cy - PROFILE); v <= Math.min(height - 1, cy + PROFILE); v++)
      for (let u = Math.max(0, cx - PROFILE); u <= Math.min(width - 1, cx + PROFILE); u++) {
        const share = times * weight * profile(u - x, v - y);
        for (let c = 0; c < planes.length; c++) planes[c][v * width + u] += share * heights[c];
      }
  }
}

export function isHighest(plane: Float32Array, width: number, i: number): boolean {
  for (let v = -AROUND; v <= AROUND; v++)
    for (let u = -AROUND; u <= AROUND; u++) {
      const k = v * width + u;
      // Of equals the first counts.
      if (k < 0 ? plane[i + k] >= plane[i] : plane[i + k] > plane[i]) return false;
    }
  return true;
}

/** Where a parabola through three values has its top, in steps from the middle one. */
function vertex(before: number, at: number, after: number): number {
  const bend = before - 2 * at + after;
  return bend < 0 ? Math.max(-0.5, Math.min(0.5, (before - after) / (2 * bend))) : 0;
}

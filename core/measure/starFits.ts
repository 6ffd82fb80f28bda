import type { FitSquare, Kernels, PointStar, StarLook, StarPlanes } from "../kernels";
import { solveSymmetric } from "../numeric/leastSquares";
import { median } from "../raster";
import { widthsAt } from "./fit";

/** What stars are held against reaches so far around them, in FWHM. */
const AROUND = 1.3;
/** Samples whose σ is so many times that of others say nothing. */
const UNTOLD = 1e3;
/** Fits end where another step would lower what is left by less than this share. */
const SETTLED = { leastGain: 1e-3, maxIterations: 15 };
/** The PSF is known to this share of a star's light: so much is added to the noise, where the light is. */
const PSF_ERROR = 0.012;
/** A knot is wider than a star even across: by so much, beyond what noise leaves open (so many σ of a width, about FWHM · σ/height). */
const [LEAST_WIDER, SURE] = [1.08, 2];

/** What a group holds: all channels as one, each by what it shows, over σ; how a star looks in it; and where it lies. */
export interface Patch extends FitSquare {
  x0: number;
  y0: number;
  /** What the members leave, over σ. */
  left: Float64Array;
  look: StarLook;
  /** σ in the middle. */
  sigma: number;
  height: number;
}

/** Null where the picture ends too near, or samples in the middle say nothing. */
export function patchOf(
  { planes, width, height, profiles, least }: StarPlanes,
  members: readonly PointStar[],
  sigmas: readonly Float32Array[],
  fwhm: number,
  kernels: Kernels,
): Patch | null {
  const { x, y } = centre(members);
  const extent = members.reduce((most, star) => Math.max(most, Math.hypot(star.x - x, star.y - y)), 0);
  const reach = Math.max(3, Math.round(extent + AROUND * fwhm));
  const [x0, y0] = [Math.round(x) - reach, Math.round(y) - reach];
  const side = 2 * reach + 1;
  if (x0 < 0 || y0 < 0 || x0 + side > width || y0 + side > height) return null;
  const cut = (plane: Float32Array) => {
    const out = new Float32Array(side * side);
    for (let v = 0; v < side; v++) {
      const from = (y0 + v) * width + x0;
      out.set(plane.subarray(from, from + side), v * side);
    }
    return out;
  };
  const [rest, noise] = [planes.map(cut), sigmas.map(cut)];
  const quiet = noise.map((plane) => plane.reduce((least, v) => Math.min(least, v), Infinity));
  const middle = reach * side + reach;
  if (noise.some((plane, c) => plane[middle] > UNTOLD * quiet[c])) return null;
  const held = rest.map((plane) => plane.slice());
  const moved = members.map((star) => ({ ...star, x: star.x - x0, y: star.y - y0 }));
  kernels.drawStars({ planes: held, width: side, height: side, profiles, least }, moved, 1);
  const told = quiet.map((s) => 1 / (s * s));
  const weights = told.map((w) => w / told.reduce((a, b) => a + b, 0));
  const heights = planes.map((_, c) => weights[c] * members.reduce((total, star) => total + star.heights[c], 0));
  const high = heights.reduce((a, b) => a + b, 0);
  const [data, left, inverse] = [0, 1, 2].map(() => new Float64Array(side * side));
  for (let k = 0; k < data.length; k++) {
    let [whole, bare, variance] = [0, 0, 0];
    weights.forEach((w, c) => {
      whole += w * held[c][k];
      bare += w * rest[c][k];
      variance += (w * noise[c][k]) ** 2;
    });
    inverse[k] = 1 / Math.sqrt(variance + (PSF_ERROR * (whole - bare)) ** 2);
    data[k] = whole * inverse[k];
    left[k] = bare * inverse[k];
  }
  const sigma = Math.sqrt(1 / told.reduce((a, b) => a + b, 0));
  return {
    side,
    x0,
    y0,
    data,
    left,
    inverse,
    look: { profiles, shares: heights.map((h) => h / high) },
    sigma,
    height: high,
  };
}

/** A star's heights together. */
export const lightOf = ({ heights }: PointStar) => heights.reduce((a, b) => a + b, 0);

function centre(members: readonly PointStar[]): { x: number; y: number } {
  let [x, y, total] = [0, 0, 0];
  for (const star of members) {
    const light = lightOf(star);
    x += light * star.x;
    y += light * star.y;
    total += light;
  }
  return { x: x / total, y: y / total };
}

/** Writes value and slopes of a star of height 1 at (dx, dy) into three places. */
const drawing =
  ({ profiles, shares }: StarLook) =>
  (dx: number, dy: number, into: Float64Array) => {
    into.fill(0);
    for (let c = 0; c < profiles.length; c++) {
      const { a, b, c: d, beta, scale, powers } = profiles[c];
      const q = a * dx * dx + 2 * b * dx * dy + d * dy * dy;
      const at = Math.min(powers.length - 2, Math.sqrt(q) * scale);
      const k = Math.floor(at);
      const value = shares[c] * (powers[k] + (at - k) * (powers[k + 1] - powers[k]));
      const slope = (-2 * beta * value) / (1 + q);
      into[0] += value;
      into[1] += slope * (a * dx + b * dy);
      into[2] += slope * (b * dx + d * dy);
    }
  };

/**
 * How a lone star is drawn out, from what it leaves: the axis of the second derivatives of its profile that are in it, and by how much they lower Σ residual²/σ² beyond what a level with a slope, its height and its place do. A pair is a star and such
 * derivatives, to second order.
 */
export function drawnOut(
  { side, left, inverse, look }: Patch,
  { x, y }: { x: number; y: number },
): { axis: number; gain: number } {
  const profile = drawing(look);
  const [own, all] = [6, 9];
  const [normal, right, row] = [new Float64Array(all * all), new Float64Array(all), new Float64Array(all)];
  const [here, east, west, south, north] = Array.from({ length: 5 }, () => new Float64Array(3));
  for (let k = 0; k < left.length; k++) {
    const [dx, dy, w] = [(k % side) - x, Math.floor(k / side) - y, inverse[k]];
    profile(dx, dy, here);
    profile(dx + 0.5, dy, east);
    profile(dx - 0.5, dy, west);
    profile(dx, dy + 0.5, south);
    profile(dx, dy - 0.5, north);
    row.set([1, dx, dy, here[0], here[1], here[2], east[1] - west[1], east[2] - west[2], south[2] - north[2]]);
    for (let a = 0; a < all; a++) {
      right[a] += w * row[a] * left[k];
      for (let b = 0; b <= a; b++) normal[a * all + b] += w * w * row[a] * row[b];
    }
  }
  for (let a = 0; a < all; a++) for (let b = a + 1; b < all; b++) normal[a * all + b] = normal[b * all + a];
  const told = (n: number) => {
    const part = Float64Array.from({ length: n * n }, (_, k) => normal[Math.floor(k / n) * all + (k % n)]);
    const solved = solveSymmetric(part, right.slice(0, n));
    return solved && { solved, gain: solved.reduce((sum, v, a) => sum + v * right[a], 0) };
  };
  const [less, more] = [told(own), told(all)];
  if (!less || !more) return { axis: 0, gain: 0 };
  const [xx, xy, yy] = more.solved.slice(own);
  return { axis: 0.5 * Math.atan2(xy, xx - yy), gain: more.gain - less.gain };
}

/** What the members leave beyond a level with a slope: Σ residual²/σ². */
export function restOf({ side, left, inverse }: Patch): number {
  const middle = (side - 1) / 2;
  const [normal, right] = [new Float64Array(9), new Float64Array(3)];
  let total = 0;
  for (let k = 0; k < left.length; k++) {
    const w = inverse[k];
    const row = [w, w * ((k % side) - middle), w * (Math.floor(k / side) - middle)];
    total += left[k] * left[k];
    for (let a = 0; a < 3; a++) {
      right[a] += row[a] * left[k];
      for (let b = 0; b < 3; b++) normal[a * 3 + b] += row[a] * row[b];
    }
  }
  const solved = solveSymmetric(normal, right);
  return solved ? total - solved.reduce((sum, v, a) => sum + v * right[a], 0) : total;
}

/** A star in a patch: its place there, and its height in all channels together. */
export interface Point {
  x: number;
  y: number;
  h: number;
}

/** Stars over a level with a slope. */
export function fitPoints(patch: Patch, start: readonly Point[], kernels: Kernels): { stars: Point[]; cost: number } {
  const values = Float64Array.from([levelOf(patch), 0, 0, ...start.flatMap(({ x, y, h }) => [x, y, h])]);
  const { parameters: p, cost } = kernels.fitPoints(patch, patch.look, values, SETTLED);
  return { stars: start.map((_, k) => ({ x: p[3 + 3 * k], y: p[4 + 3 * k], h: p[5 + 3 * k] })), cost };
}

const levelOf = ({ data, inverse }: Pick<Patch, "data" | "inverse">) =>
  median(Float32Array.from(data, (v, k) => v / inverse[k]));

/** One elliptical Moffat profile of any width over a level with a slope; null where it is not wider than a star in every direction. */
export function fitWide(
  patch: Patch,
  at: { x: number; y: number },
  fwhm: number,
  kernels: Kernels,
): { cost: number } | null {
  const { look, sigma, height } = patch;
  const curve = (4 * (2 ** (1 / 3) - 1)) / (1.3 * fwhm) ** 2;
  const start = Float64Array.from([levelOf(patch), 0, 0, 0.8 * height, at.x, at.y, curve, 0, curve, 3]);
  const { parameters, cost } = kernels.fitPeak(patch, { slopes: true, ...at, leashPx: fwhm }, start, SETTLED);
  const { fwhmMinor } = widthsAt(parameters, 3);
  const least = LEAST_WIDER * narrowest(look, fwhm) + (SURE * sigma * fwhm) / parameters[3];
  return fwhmMinor > least ? { cost } : null;
}

/** The FWHM of a star across, in px. */
function narrowest(look: StarLook, fwhm: number): number {
  const profile = drawing(look);
  let least = Infinity;
  const own = new Float64Array(3);
  for (let k = 0; k < 12; k++) {
    const [u, v] = [Math.cos((k * Math.PI) / 12), Math.sin((k * Math.PI) / 12)];
    let [near, far] = [0, 2 * fwhm];
    for (let step = 0; step < 24; step++) {
      const r = (near + far) / 2;
      profile(r * u, r * v, own);
      if (own[0] > 0.5) near = r;
      else far = r;
    }
    least = Math.min(least, 2 * near);
  }
  return least;
}

import type { Kernels, PointStar, StarPlanes } from "../kernels";
import { median } from "../raster";

/** Half the side of the square over which one star is held against two, in FWHM. */
const JUDGED_FWHM = 1.3;
/** Stars fainter than this, in σ of a pixel, are not looked at. */
const LEAST_HEIGHT = 8;
/** Two stars must leave so much less of Σ residual²/σ² than one, both absolutely and as a share: a PSF that does not fit quite leaves something of every star. */
const [LEAST_GAIN, MOST_LEFT] = [25, 0.5];
/** What one star leaves must be at least this share of its height, rms: less is the PSF's fault. */
const LEAST_MISFIT = 0.012;
/** The two are at least so far apart, in FWHM, and the fainter one at least so high as a share of the other. */
const [LEAST_APART, LEAST_RATIO] = [0.35, 0.12];
const ROUNDS = 12;

/**
 * Stars that are two: where what a star leaves is drawn out along an axis, two stars on that axis are solved in its stead, and kept if they leave much less. `residual` holds the planes less all stars, before and after; `sigmas` the σ of their samples. Source: own;
 * the axis from second moments of the residual.
 */
export function splitStars<S extends PointStar>(
  residual: StarPlanes,
  stars: readonly S[],
  sigmas: readonly Float32Array[],
  fwhm: number,
  kernels: Kernels,
): (S | PointStar)[] {
  const { planes, width, height } = residual;
  const reach = Math.max(3, Math.round(JUDGED_FWHM * fwhm));
  return stars.flatMap((star) => {
    const [cx, cy] = [Math.round(star.x), Math.round(star.y)];
    if (cx < reach || cy < reach || cx >= width - reach || cy >= height - reach) return [star];
    const i0 = cy * width + cx;
    if (!star.heights.some((h, c) => h > LEAST_HEIGHT * sigmas[c][i0])) return [star];
    const before = misfit(planes, sigmas, width, cx, cy, reach);
    const height0 = Math.max(...star.heights);
    if (before.rms < LEAST_MISFIT * height0) return [star];
    const angle = axisOf(planes, width, star, reach);
    const [dx, dy] = [0.4 * fwhm * Math.cos(angle), 0.4 * fwhm * Math.sin(angle)];
    const halves = [1, -1].map((side) => ({
      x: star.x + side * dx,
      y: star.y + side * dy,
      heights: star.heights.map((h) => 0.6 * h),
    }));
    // A copy of the surroundings, on which the two are tried.
    const [left, top] = [cx - 2 * reach, cy - 2 * reach];
    const side = 4 * reach + 1;
    const inside = (plane: Float32Array, beyond: number) =>
      Float32Array.from({ length: side * side }, (_, k) => {
        const [u, v] = [left + (k % side), top + Math.floor(k / side)];
        return u >= 0 && v >= 0 && u < width && v < height ? plane[v * width + u] : beyond;
      });
    const patch = { ...residual, planes: planes.map((plane) => inside(plane, 0)), width: side, height: side };
    // What lies beyond the picture tells nothing.
    const noise = sigmas.map((sigma) => inside(sigma, Infinity));
    const shifted = (of: PointStar) => ({ ...of, x: of.x - left, y: of.y - top });
    kernels.drawStars(patch, [shifted(star), ...halves.map(shifted).map(taken)], 1);
    const pair = kernels.solveStars(patch, halves.map(shifted), { sigmas: noise, rounds: ROUNDS, leashPx: 1 });
    if (pair.length !== 2) return [star];
    const after = misfit(patch.planes, noise, side, cx - left, cy - top, reach);
    const apart = Math.hypot(pair[0].x - pair[1].x, pair[0].y - pair[1].y);
    const [p, q] = pair.map(({ heights }) => heights.reduce((a, b) => a + b, 0));
    const isBetter =
      before.sum - after.sum > LEAST_GAIN && after.sum - after.count < MOST_LEFT * (before.sum - before.count);
    // What even two do not explain is neither: a clipped core, or a galaxy.
    const isExplained = after.rms < Math.max(LEAST_MISFIT * height0, 2 * Math.sqrt(after.variance));
    if (!isBetter || !isExplained || apart < LEAST_APART * fwhm || Math.min(p, q) < LEAST_RATIO * Math.max(p, q))
      return [star];
    const found = pair.map((one) => ({ ...one, x: one.x + left, y: one.y + top }));
    kernels.drawStars(residual, [star, ...found.map(taken)], 1);
    return found;
  });
}

/** A star as it is drawn to take it off. */
const taken = (star: PointStar): PointStar => ({ ...star, heights: star.heights.map((h) => -h) });

/** What is left about a place: Σ residual²/σ², over how many samples, its rms, and the noise's variance. The level there counts for nothing. */
function misfit(
  planes: readonly Float32Array[],
  sigmas: readonly Float32Array[],
  width: number,
  cx: number,
  cy: number,
  reach: number,
): { sum: number; count: number; rms: number; variance: number } {
  let [sum, count, square, variance] = [0, 0, 0, 0];
  planes.forEach((plane, c) => {
    const values: number[] = [];
    for (let v = cy - reach; v <= cy + reach; v++)
      for (let u = cx - reach; u <= cx + reach; u++) values.push(plane[v * width + u]);
    const level = median(values);
    const s = sigmas[c][cy * width + cx];
    for (const value of values) {
      sum += ((value - level) / s) ** 2;
      square += (value - level) ** 2;
      variance += s * s;
      count++;
    }
  });
  return { sum, count, rms: Math.sqrt(square / count), variance: variance / count };
}

/** The axis along which what a star leaves is bright, from its second moments within `reach`. */
function axisOf(planes: readonly Float32Array[], width: number, { x, y }: PointStar, reach: number): number {
  let [even, odd] = [0, 0];
  const [cx, cy] = [Math.round(x), Math.round(y)];
  for (const plane of planes)
    for (let v = cy - reach; v <= cy + reach; v++)
      for (let u = cx - reach; u <= cx + reach; u++) {
        const [dx, dy] = [u - x, v - y];
        if (dx * dx + dy * dy > reach * reach) continue;
        const value = plane[v * width + u];
        even += value * (dx * dx - dy * dy);
        odd += value * 2 * dx * dy;
      }
  return 0.5 * Math.atan2(odd, even);
}

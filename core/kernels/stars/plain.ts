import type { PointStar, StarKernels, StarPlanes } from "./contract";
import {
  checkStars,
  DECIDES,
  drawnRadius,
  LEASH_PX,
  PRIOR_PX,
  profileAt,
  SETTLED,
  SOFT_FROM,
  STEP_PX,
} from "./contract";

const clamp = (v: number, most: number) => Math.max(-most, Math.min(most, v));

function drawStar({ planes, width, height, profiles, least }: StarPlanes, { x, y, heights }: PointStar, times: number) {
  const [cx, cy] = [Math.round(x), Math.round(y)];
  const radius = drawnRadius(heights, profiles, least);
  const reach = Math.floor(radius);
  const [square, inner] = [radius * radius, (SOFT_FROM * radius) ** 2];
  for (let v = Math.max(0, cy - reach); v <= Math.min(height - 1, cy + reach); v++)
    for (let u = Math.max(0, cx - reach); u <= Math.min(width - 1, cx + reach); u++) {
      const r2 = (u - cx) ** 2 + (v - cy) ** 2;
      if (r2 > square) continue;
      const soft = r2 < inner ? 1 : (square - r2) / (square - inner);
      for (let c = 0; c < planes.length; c++)
        planes[c][v * width + u] += times * heights[c] * soft * profileAt(profiles[c], u - x, v - y)[0];
    }
}

/** Sums of one channel in a star's square: of the products of its slopes in x and y (h·p_x, h·p_y), its profile and 1, and of those with what is left. */
function sumsOf(on: StarPlanes, sigma: Float32Array, c: number, { x, y, heights }: PointStar): Float64Array {
  const { planes, width, height, profiles } = on;
  const sums = new Float64Array(14);
  const [cx, cy] = [Math.round(x), Math.round(y)];
  const { a, b, c: d, beta } = profiles[c];
  for (let v = Math.max(0, cy - DECIDES); v <= Math.min(height - 1, cy + DECIDES); v++)
    for (let u = Math.max(0, cx - DECIDES); u <= Math.min(width - 1, cx + DECIDES); u++) {
      const i = v * width + u;
      const [dx, dy] = [u - x, v - y];
      const [p, more] = profileAt(profiles[c], dx, dy);
      const by = (2 * beta * p * heights[c]) / more;
      const [px, py] = [by * (a * dx + b * dy), by * (b * dx + d * dy)];
      const w = 1 / (sigma[i] * sigma[i]);
      const value = w * planes[c][i];
      [
        w * px * px,
        w * px * py,
        w * py * py,
        w * px * p,
        w * py * p,
        w * px,
        w * py,
        w * p * p,
        w * p,
        w,
        value * px,
        value * py,
        value * p,
        value,
      ].forEach((term, k) => (sums[k] += term));
    }
  return sums;
}

/** A star's step from the channels' sums: x, y, and each height; null where they do not tell it, or it changes nothing. */
function stepOf(each: readonly Float64Array[], { x, y }: { x: number; y: number }): number[] | null {
  const hold = 1 / PRIOR_PX ** 2;
  let [xx, xy, yy, rx, ry] = [hold, 0, hold, hold * x, hold * y];
  const eliminated = each.map(([sxx, sxy, syy, xp, yp, x1, y1, pp, p1, one, vx, vy, vp, v1]) => {
    const det = pp * one - p1 * p1;
    if (!(det > 1e-12 * pp * one)) return null;
    // The inverse of [pp p1; p1 one], times what couples it to x, to y, and to what is left.
    const solve = (f: number, g: number): [number, number] => [(one * f - p1 * g) / det, (pp * g - p1 * f) / det];
    const [ofX, ofY, ofV] = [solve(xp, x1), solve(yp, y1), solve(vp, v1)];
    xx += sxx - (xp * ofX[0] + x1 * ofX[1]);
    xy += sxy - (xp * ofY[0] + x1 * ofY[1]);
    yy += syy - (yp * ofY[0] + y1 * ofY[1]);
    rx += vx - (xp * ofV[0] + x1 * ofV[1]);
    ry += vy - (yp * ofV[0] + y1 * ofV[1]);
    return { ofV: ofV[0], ofX: ofX[0], ofY: ofY[0], weight: det / one };
  });
  const det = xx * yy - xy * xy;
  if (!(det > 0) || eliminated.includes(null)) return null;
  const [dx, dy] = [(yy * rx - xy * ry) / det, (xx * ry - xy * rx) / det];
  const more = eliminated.map((of) => (of ? of.ofV - of.ofX * dx - of.ofY * dy : 0));
  const gain = more.reduce((sum, h, c) => sum + h * h * (eliminated[c]?.weight ?? 0), Math.abs(dx * rx + dy * ry));
  return gain < SETTLED ? null : [dx, dy, ...more];
}

export const starsPlain: StarKernels = {
  drawStars(on, stars, times) {
    checkStars(on, stars);
    for (const star of stars) drawStar(on, star, times);
  },
  solveStars(residual, stars, { sigmas, rounds, leashPx = LEASH_PX }) {
    checkStars(residual, stars, sigmas);
    const found = stars.map((star) => ({ star: { ...star, heights: [...star.heights] }, x0: star.x, y0: star.y }));
    for (let round = 0; round < rounds; round++)
      for (const { star, x0, y0 } of found) {
        const each = sigmas.map((sigma, c) => sumsOf(residual, sigma, c, star));
        const step = stepOf(each, { x: x0 - star.x, y: y0 - star.y });
        if (!step) continue;
        drawStar(residual, star, 1);
        star.x = x0 + clamp(star.x + clamp(step[0], STEP_PX) - x0, leashPx);
        star.y = y0 + clamp(star.y + clamp(step[1], STEP_PX) - y0, leashPx);
        star.heights = star.heights.map((h, c) => Math.max(0, h + step[2 + c]));
        drawStar(residual, star, -1);
      }
    return found.map(({ star }) => star).filter(({ heights }) => heights.some((h) => h > 0));
  },
};

import { solveSymmetric } from "../numeric/leastSquares";
import type { Profile } from "./psf";

/** A star as a point: its place, and its height above what lies around it in each channel, as the PSF of height 1 draws it. */
export interface PointStar {
  x: number;
  y: number;
  heights: number[];
  /** It answers to a wider profile: two stars, or no star. */
  isWide?: boolean;
}

/** Half the side of the square round a star that decides it. */
const DECIDES = 4;
/** How far a star is drawn, in px. */
export const DRAWN = 15;
/** A step moves a star at most so far, and in all it stays within so much of where it was found. */
const [STEP_PX, LEASH_PX] = [0.4, 0.8];
/** The place is held to where it was found by so many px. */
const PRIOR_PX = 0.15;

/** Adds stars to planes, in place; with −1 it takes them off. */
export function drawStars(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  stars: readonly PointStar[],
  profiles: readonly Profile[],
  times: number,
): void {
  for (const star of stars) drawStar(planes, width, height, star, profiles, times);
}

function drawStar(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  { x, y, heights }: PointStar,
  profiles: readonly Profile[],
  times: number,
): void {
  const [cx, cy] = [Math.round(x), Math.round(y)];
  for (let v = Math.max(0, cy - DRAWN); v <= Math.min(height - 1, cy + DRAWN); v++)
    for (let u = Math.max(0, cx - DRAWN); u <= Math.min(width - 1, cx + DRAWN); u++) {
      const r2 = (u - cx) ** 2 + (v - cy) ** 2;
      if (r2 > DRAWN * DRAWN) continue;
      // The far wings are let out softly, so that a star has no rim.
      const soft = r2 < (0.7 * DRAWN) ** 2 ? 1 : (1 - r2 / DRAWN ** 2) / (1 - 0.49);
      for (let c = 0; c < planes.length; c++)
        planes[c][v * width + u] += times * heights[c] * soft * profiles[c](u - x, v - y);
    }
}

/**
 * Places and heights of stars, one after the other against what the others leave, round by round (block coordinate descent of the joint least squares): in each square of 9 × 9 px the place, and for each channel the
 * height and a level, weighted by the noise. `residual` holds the planes less all stars as they are given, and does so after for those that are returned; `sigma` tells σ where a channel stands so high. The place is shared by the channels and held where it was
 * found by .15 px, and within `leashPx` of it. Stars whose height falls to 0 or less in the sum of the channels go. Source: Stetson 1987, PASP 99, 191 (groups by iteration); Gauss–Newton.
 */
export function solveStars(
  residual: readonly Float32Array[],
  width: number,
  height: number,
  stars: readonly PointStar[],
  profiles: readonly Profile[],
  sigma: (channel: number, pixel: number, light: number) => number,
  rounds: number,
  leashPx = LEASH_PX,
): PointStar[] {
  const channels = residual.length;
  const n = 2 + 2 * channels;
  const found = stars.map((star) => ({ ...star, heights: [...star.heights], x0: star.x, y0: star.y }));
  const [matrix, vector, row] = [new Float64Array(n * n), new Float64Array(n), new Float64Array(n)];
  const slopes = new Float64Array(2);
  for (let round = 0; round < rounds; round++)
    for (const star of found) {
      matrix.fill(0);
      vector.fill(0);
      const [cx, cy] = [Math.round(star.x), Math.round(star.y)];
      for (let v = Math.max(0, cy - DECIDES); v <= Math.min(height - 1, cy + DECIDES); v++)
        for (let u = Math.max(0, cx - DECIDES); u <= Math.min(width - 1, cx + DECIDES); u++)
          for (let c = 0; c < channels; c++) {
            const shape = profiles[c](u - star.x, v - star.y, slopes);
            const i = v * width + u;
            const weight = 1 / sigma(c, i, star.heights[c] * shape) ** 2;
            row.fill(0);
            row[0] = star.heights[c] * slopes[0];
            row[1] = star.heights[c] * slopes[1];
            row[2 + 2 * c] = shape;
            row[3 + 2 * c] = 1;
            for (let p = 0; p < n; p++) {
              if (row[p] === 0) continue;
              vector[p] += weight * row[p] * residual[c][i];
              for (let q = 0; q < n; q++) matrix[p * n + q] += weight * row[p] * row[q];
            }
          }
      const hold = 1 / PRIOR_PX ** 2;
      matrix[0] += hold;
      matrix[n + 1] += hold;
      vector[0] += hold * (star.x0 - star.x);
      vector[1] += hold * (star.y0 - star.y);
      const step = solveSymmetric(matrix, vector);
      if (!step) continue;
      drawStar(residual, width, height, star, profiles, 1);
      const [dx, dy] = [step[0], step[1]].map((d) => Math.max(-STEP_PX, Math.min(STEP_PX, d)));
      star.x = star.x0 + Math.max(-leashPx, Math.min(leashPx, star.x + dx - star.x0));
      star.y = star.y0 + Math.max(-leashPx, Math.min(leashPx, star.y + dy - star.y0));
      for (let c = 0; c < channels; c++) star.heights[c] = Math.max(0, star.heights[c] + step[2 + 2 * c]);
      drawStar(residual, width, height, star, profiles, -1);
    }
  return found.filter(({ heights }) => heights.some((h) => h > 0)).map(({ x0: _x, y0: _y, ...star }) => star);
}

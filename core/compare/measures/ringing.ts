import type { Kernels } from "../../kernels";
import type { Star } from "../../measure";
import { pixelNoise } from "../../measure";
import type { Raster } from "../../raster";
import { median, meanPlane, quantile } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** Brighter stars show rings clearly. */
const LEAST_SNR = 30;
/** Places along a circle: one for each 1.3 px or so of the widest that is looked at. */
const PLACES = 48;
/** Radii that are looked at, and where the ground lies, in FWHM; the wings of the brightest reach as far. */
const [NEAREST, FARTHEST, STEP, GROUND] = [0.75, 4, 0.125, 5];
const GROUND_QUANTILE = 0.25;

/** Dark rings around stars. */
export const ringing: Measure = {
  id: "ringing",
  label: "Deepest ring",
  unit: "σ",
  group: "stars",
  definition:
    "The deepest of the dark rings round stars above SNR 30, saturated ones too: how far the darkest circle of 0.75 … 4 FWHM around a star (median along it) lies below the ground at 5 FWHM (lower quartile along it), in σ of a pixel of the stack",
  better: "less",
  digits: 1,
  valueOf: ({ before, after, starsBefore, fwhmPx, job }) => ringDepth(before, after, starsBefore, fwhmPx, job.kernels),
};

/**
 * How deep the deepest dark ring round a star is, in σ of a pixel of the place before, whose stars and FWHM are given. Null
 * without a clear star well inside, or noise. What the picture before has of it does not count.
 */
export function ringDepth(
  before: Raster,
  after: Raster,
  starsBefore: readonly Star[],
  fwhmPx: number | null,
  kernels: Kernels,
): number | null {
  if (fwhmPx === null) return null;
  const [p, q] = [before, after].map((raster) => meanPlane(raster));
  const { width, height } = before;
  const { sigma } = pixelNoise(p, width, height, kernels);
  const around = (plane: Float32Array, x: number, y: number, r: number): Float32Array =>
    Float32Array.from({ length: PLACES }, (_, k) => {
      const turn = (2 * Math.PI * k) / PLACES;
      return plane[Math.round(y + r * Math.sin(turn)) * width + Math.round(x + r * Math.cos(turn))] ?? NaN;
    });
  const circle = (plane: Float32Array, x: number, y: number, r: number): number => median(around(plane, x, y, r));
  // In a group of stars half of the ground's circle may be other stars.
  const groundOf = (plane: Float32Array, x: number, y: number): number =>
    quantile(around(plane, x, y, GROUND * fwhmPx), GROUND_QUANTILE);
  const reach = GROUND * fwhmPx + 1;
  const depths = starsBefore
    .filter(({ snr, x, y }) => snr > LEAST_SNR && x > reach && y > reach && x < width - reach && y < height - reach)
    .map(({ x, y }) => {
      const [groundBefore, groundAfter] = [p, q].map((plane) => groundOf(plane, x, y));
      let deepest = 0;
      for (let r = NEAREST; r <= FARTHEST; r += STEP) {
        const own = Math.max(0, groundBefore - circle(p, x, y, r * fwhmPx));
        deepest = Math.max(deepest, Math.min(groundBefore, groundAfter) - circle(q, x, y, r * fwhmPx) - own);
      }
      return deepest / sigma;
    });
  return depths.length > 0 && sigma > 0 ? finite(Math.max(...depths)) : null;
}

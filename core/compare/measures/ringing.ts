import type { Star } from "../../measure";
import type { Raster } from "../../raster";
import { median, meanPlane } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** Brighter stars show rings clearly. */
const LEAST_SNR = 30;
const PLACES = 24;

/** Dark rings around stars. */
export const ringing: Measure = {
  id: "ringing",
  label: "Ringing",
  unit: "%",
  group: "stars",
  definition:
    "Median over stars above SNR 30 of how far the darkest circle of 0.75 … 2.5 FWHM around the star (median along it) lies below the ground at 3.5 FWHM, over the star’s height in the stack",
  better: "less",
  digits: 2,
  valueOf: ({ before, after, starsBefore, fwhmPx }) => ringDepth(before, after, starsBefore, fwhmPx),
};

/** How deep dark rings round stars are, in % of their height: the median star of those of the place before, whose FWHM is given; null without a clear one well inside. */
export function ringDepth(
  before: Raster,
  after: Raster,
  starsBefore: readonly Star[],
  fwhmPx: number | null,
): number | null {
  if (fwhmPx === null) return null;
  const [p, q] = [before, after].map((raster) => meanPlane(raster));
  const { width, height } = before;
  const circle = (plane: Float32Array, x: number, y: number, r: number): number =>
    median(
      Float32Array.from({ length: PLACES }, (_, k) => {
        const turn = (2 * Math.PI * k) / PLACES;
        return plane[Math.round(y + r * Math.sin(turn)) * width + Math.round(x + r * Math.cos(turn))] ?? NaN;
      }),
    );
  const reach = 4 * fwhmPx;
  const depths = starsBefore
    .filter(
      ({ snr, saturated, x, y }) =>
        snr > LEAST_SNR && !saturated && x > reach && y > reach && x < width - reach && y < height - reach,
    )
    .map(({ x, y, peak }) => {
      // The ground of both is what lies farther out.
      const ground = Math.min(circle(p, x, y, 3.5 * fwhmPx), circle(q, x, y, 3.5 * fwhmPx));
      let least = Infinity;
      for (let r = 0.75; r <= 2.5; r += 0.125) least = Math.min(least, circle(q, x, y, r * fwhmPx));
      return Math.max(0, ground - least) / peak;
    });
  return depths.length > 0 ? finite(100 * median(Float32Array.from(depths))) : null;
}

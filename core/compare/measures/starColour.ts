import type { Star } from "../../measure";
import { median } from "../../raster";
import type { Raster } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** Stars fainter than this tell their colour too coarsely. */
const LEAST_SNR = 20;

/** How far star colours moved. */
export const starColour: Measure = {
  id: "starColour",
  label: "Star colour shift",
  unit: "%",
  group: "stars",
  definition:
    "Median over stars above SNR 20 of the larger of the changes of red/green and blue/green, fluxes within 1.5 FWHM above the median of a ring of 3 … 4 FWHM",
  better: "less",
  digits: 1,
  ofColour: true,
  valueOf({ before, after, starsBefore, fwhmPx }) {
    if (before.channels !== 3 || fwhmPx === null) return null;
    const shifts = starsBefore
      .filter(({ snr, saturated }) => snr > LEAST_SNR && !saturated)
      .flatMap((star) => {
        const [p, q] = [before, after].map((raster) => fluxes(raster, star, fwhmPx));
        if (!p || !q) return [];
        return [Math.max(...[0, 2].map((c) => Math.abs(q[c] / q[1] / (p[c] / p[1]) - 1)))];
      });
    return shifts.length > 0 ? finite(100 * median(Float32Array.from(shifts))) : null;
  },
};

/** Flux in each channel; null at the border and where one is not above its surroundings. */
function fluxes({ planes, width, height }: Raster, { x, y }: Star, fwhmPx: number): number[] | null {
  const reach = Math.ceil(4 * fwhmPx);
  const [cx, cy] = [Math.round(x), Math.round(y)];
  if (cx < reach || cy < reach || cx >= width - reach || cy >= height - reach) return null;
  const found = planes.map((plane) => {
    const ring: number[] = [];
    const inner: number[] = [];
    for (let v = -reach; v <= reach; v++)
      for (let u = -reach; u <= reach; u++) {
        const r = Math.hypot(cx + u - x, cy + v - y) / fwhmPx;
        const value = plane[(cy + v) * width + cx + u];
        if (r <= 1.5) inner.push(value);
        else if (r >= 3 && r <= 4) ring.push(value);
      }
    const sky = median(Float32Array.from(ring));
    return inner.reduce((sum, value) => sum + value - sky, 0);
  });
  return found.every((flux) => flux > 0) ? found : null;
}

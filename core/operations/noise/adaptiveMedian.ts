import { moffatAlpha } from "../../measure";
import { mirrorIndex } from "../../raster/raster";
import { slider, toggle } from "../../parameters";
import { noiseApproach } from "./approach";

/** Half the side of the neighbours whose median is what lies behind a pixel. */
const BEHIND = 3;
/** A star may stand out of its neighbours by so many times what its profile says. */
const SPARED = 1.6;

/**
 * Single outliers: a pixel that stands further from the median of its eight neighbours than noise, their spread, and a star of this picture's sharpness explain becomes that median; all others stay. A star whose
 * neighbours stand h above what lies behind (the median of 7 × 7) may itself stand h/e above it, e the share of a star's height that its profile leaves to its neighbours.
 * Sources: Hwang & Haddad 1995, IEEE TIP 4, 499 (the median only where it is needed); van Dokkum 2001, PASP 113, 1420 (sharper than a star); own in its test.
 */
export const adaptiveMedian = noiseApproach({
  id: "noise.median",
  version: 1,
  words: {
    title: "Adaptive median",
    short: "Median",
    summary: "Replaces single pixels that stand out of their surroundings; all others stay as they are.",
  },
  disturbedWeight: 1,
  fields: {
    threshold: slider({
      label: "Outliers from",
      hint: "How far a pixel must stand out of its neighbours to be replaced, in their own spread and the noise together",
      unit: "σ",
      min: 2,
      max: 15,
      step: 0.5,
      default: 5,
    }),
    darkToo: toggle({
      label: "Dark ones too",
      hint: "Replaces pixels that are too dark as well as those too bright",
      default: true,
    }),
  },
  needs: () => ["psf"],
  // Stars are untouchedShare by their shape.
  onlyOutliers: true,
  reach: () => BEHIND,
  clean({ plane, width, height, covariance }, { threshold, darkToo }, { psf }) {
    const variance = covariance[covariance.length >> 1];
    const { fwhmPx, beta } = psf;
    const left = fwhmPx !== null && beta !== null ? (1 + 1.5 / moffatAlpha(fwhmPx, beta) ** 2) ** -beta : 0;
    const [near, far] = [new Float64Array(8), new Float64Array((2 * BEHIND + 1) ** 2 - 1)];
    return plane.map((v, i) => {
      const [x, y] = [i % width, Math.floor(i / width)];
      const median = medianAround(plane, width, height, x, y, 1, near);
      const away = v - median;
      if (Math.abs(away) <= threshold * Math.sqrt(variance) || (away < 0 && !darkToo)) return v;
      for (let k = 0; k < near.length; k++) near[k] = Math.abs(near[k] - median);
      near.sort();
      const spread = 1.4826 * ((near[3] + near[4]) / 2);
      const star =
        away > 0 && left > 0
          ? SPARED * Math.max(0, median - medianAround(plane, width, height, x, y, BEHIND, far)) * (1 / left - 1)
          : 0;
      return Math.abs(away) > star + threshold * Math.sqrt(variance + spread * spread) ? median : v;
    });
  },
});

/** The median of the neighbours within so many px, without the pixel itself; `neighbours` holds them in order after. */
function medianAround(
  plane: Float32Array,
  width: number,
  height: number,
  x: number,
  y: number,
  radius: number,
  neighbours: Float64Array,
): number {
  let n = 0;
  for (let v = -radius; v <= radius; v++)
    for (let u = -radius; u <= radius; u++)
      if (u !== 0 || v !== 0) neighbours[n++] = plane[mirrorIndex(y + v, height) * width + mirrorIndex(x + u, width)];
  neighbours.sort();
  return (neighbours[(n >> 1) - 1] + neighbours[n >> 1]) / 2;
}

import type { Raster } from "../../raster";
import type { Measure } from "./measure";

/** Share, in %, of samples at or above white, or at or below 0, that were not before: what a chain drove to its ends. Null where there are none. */
export function clippedShare(before: Raster, after: Raster, fullScale: number, isLinear: boolean): number | null {
  const white = isLinear ? fullScale : 1;
  let [count, all] = [0, 0];
  after.planes.forEach((plane, c) => {
    for (let i = 0; i < plane.length; i++) {
      const [was, is] = [before.planes[c][i], plane[i]];
      if (!(was === was) || !(is === is)) continue;
      all++;
      if ((is >= white && was < fullScale) || (is <= 0 && was > 0)) count++;
    }
  });
  return all > 0 ? (100 * count) / all : null;
}

/** Pixels that a chain drove to its ends. */
export const clipped: Measure = {
  id: "clipped",
  label: "Clipped",
  unit: "%",
  group: "evidence",
  definition: "Share of samples at or above white, or at or below 0, that were not in the stack",
  better: "less",
  digits: 2,
  valueOf: ({ before, after, fullScale, views: { isLinear } }) => clippedShare(before, after, fullScale, isLinear),
};

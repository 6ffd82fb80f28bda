import { smoothed } from "../../measure";
import { sigmaLeft } from "../../chain";
import { clippedMean, meanPlane, quantile } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** Grain of bright places against that of dark ones. */
export const evenness: Measure = {
  id: "evenness",
  label: "Grain, bright to dark",
  unit: "",
  group: "noise",
  definition:
    "Share of the noise that is left in the brighter quarter of the place over the share that is left in the darker quarter (levels smoothed over 4 px; stars brighter than the 98th percentile left out): 1 for even treatment",
  better: null,
  digits: 2,
  valueOf({ views: { before, noise, remaining, width, height, inside }, job }) {
    if (!noise || !remaining) return null;
    const smooth = smoothed(before, width, height, 3, job.kernels);
    const at: number[] = [];
    for (let y = inside.y; y < inside.y + inside.height; y++)
      for (let x = inside.x; x < inside.x + inside.width; x++) at.push(y * width + x);
    const levels = Float32Array.from(at, (i) => smooth[i]);
    const [dark, bright, stars] = [0.25, 0.75, 0.98].map((share) => quantile(levels, share));
    const share = (from: number, to: number) => {
      const chosen = at.filter((i) => smooth[i] >= from && smooth[i] <= to);
      const sigma = (plane: Float32Array) =>
        clippedMean(
          Float32Array.from(chosen, (i) => plane[i]),
          5,
        ).sigma;
      return sigmaLeft(remaining, (left) => sigma(meanPlane(left))) / sigma(noise);
    };
    return finite(share(bright, stars) / share(-Infinity, dark));
  },
};

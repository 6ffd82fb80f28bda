import { meanPlane, robustSpread, difference } from "../../raster";
import { STARLET_NOISE } from "../../measure";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** What a picture shows of noise by itself, halves or not. */
export const grain: Measure = {
  id: "grain",
  label: "Grain in the picture",
  unit: "level",
  group: "noise",
  definition:
    "1.4826 times the median deviation of the finest starlet coefficients of the lane’s light, over 0.8908: the noise as the picture alone shows it; less than what is left where noise was smoothed to larger sizes",
  better: "less",
  digits: 2,
  valueOf({ after, job }) {
    const light = meanPlane(after);
    const smooth = job.kernels.starletSmooth(light, after.width, after.height, 0);
    return finite(robustSpread(difference(light, smooth)).sigma / STARLET_NOISE[0]);
  },
};

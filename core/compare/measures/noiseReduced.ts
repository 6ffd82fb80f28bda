import { clippedMean, cropRaster, rasterOf } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";
import { noiseLeft } from "./noiseLeft";

/** The same against the stack. */
export const noiseReduced: Measure = {
  id: "noiseDb",
  label: "Against the stack",
  unit: "dB",
  group: "noise",
  definition: "20 log₁₀ of the noise that is left over that of the untouched stack at the same place",
  better: "less",
  digits: 1,
  valueOf(of) {
    const { noise, width, height, inside } = of.views;
    const left = noiseLeft.valueOf(of);
    if (!noise || !left) return null;
    const { sigma } = clippedMean(cropRaster(rasterOf(width, height, [noise]), inside).planes[0], 5);
    return finite(20 * Math.log10(left / sigma));
  },
};

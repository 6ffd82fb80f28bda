import { clippedMean, cropRaster, rasterOf } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** Noise that is left, told by the halves; the figure under the crops. */
export const noiseLeft: Measure = {
  id: "noise",
  label: "Noise left",
  unit: "level",
  definition:
    "σ per pixel of half the difference of the two halves, each treated the same way, light of all channels, clipped at 5 σ",
  better: "less",
  digits: 2,
  tell({ views: { treatedHalves, width, height, inside } }) {
    if (!treatedHalves) return null;
    const { a, b } = treatedHalves;
    const light = a.map((v, i) => (v - b[i]) / 2);
    return finite(clippedMean(cropRaster(rasterOf(width, height, [light]), inside).planes[0], 5).sigma);
  },
};

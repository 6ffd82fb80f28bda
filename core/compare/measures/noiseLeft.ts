import { sigmaLeft, sigmaOfLight } from "../../chain";
import { cropRaster } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** Noise that is left, measured by the halves; the figure under the crops. */
export const noiseLeft: Measure = {
  id: "noise",
  label: "Noise left",
  unit: "level",
  group: "noise",
  definition:
    "σ per pixel, light of all channels, clipped at 5 σ, of half the difference of the two halves, each treated the same way; where the treatment answers noise unevenly, its geometric mean with what becomes of a quarter of that noise added to the stack and taken off, weighted as the method asks",
  better: "less",
  digits: 2,
  valueOf({ views: { remaining, inside } }) {
    if (!remaining) return null;
    return finite(sigmaLeft(remaining, (noise) => sigmaOfLight(cropRaster(noise, inside))));
  },
};

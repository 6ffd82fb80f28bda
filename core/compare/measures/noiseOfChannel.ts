import { sigmaLeft } from "../../chain";
import { clippedMean, cropRaster } from "../../raster";
import type { Measure } from "./measure";
import { finite } from "./measure";

/** Noise that is left in one channel of a colour picture. */
const noiseOf = (name: string, channel: number): Measure => ({
  id: `noise.${name}`,
  label: `Noise left, ${name}`,
  unit: "level",
  group: "noise",
  definition: `The same in ${name} alone`,
  better: "less",
  digits: 2,
  ofColour: true,
  valueOf({ views: { remaining, inside } }) {
    if (remaining?.halves.channels !== 3) return null;
    return finite(sigmaLeft(remaining, (noise) => clippedMean(cropRaster(noise, inside).planes[channel], 5).sigma));
  },
});

export const noiseOfChannels = ["red", "green", "blue"].map(noiseOf);

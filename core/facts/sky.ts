import * as z from "zod";
import { whiteNoise } from "../measure";
import { cropRaster, medianInPlace, robustSpread } from "../raster";
import type { Fact } from "./fact";

const schema = z.object({
  /** By channel: the lower quartile of the medians of 32 px cells. */
  level: z.array(z.number()),
  /** By channel: σ per pixel as the picture's finest scale shows it. */
  sigma: z.array(z.number()),
  /** By channel: the brightest sample. */
  brightest: z.array(z.number()),
});
export type SkyFact = z.infer<typeof schema>;

/** How high the sky lies, how much it scatters, and how far the brightest light reaches. Source: own. */
export const sky: Fact<SkyFact> = {
  id: "sky",
  title: "sky level and its noise",
  schema,
  async measure(input, job) {
    const samples = await input.samples();
    const channels = samples[0].planes.map((_, c) => {
      const cells: number[] = [];
      let brightest = -Infinity;
      for (const piece of samples) {
        for (const value of piece.planes[c]) if (value > brightest) brightest = value;
        const side = Math.min(32, piece.width, piece.height);
        for (let y = 0; y + side <= piece.height; y += side)
          for (let x = 0; x + side <= piece.width; x += side)
            cells.push(robustSpread(cropRaster(piece, { x, y, width: side, height: side }).planes[c]).centre);
      }
      cells.sort((a, b) => a - b);
      const sigmas = samples.map((piece) => whiteNoise(piece.planes[c], piece.width, piece.height, job.kernels));
      return {
        level: cells[Math.floor(cells.length / 4)],
        sigma: medianInPlace(Float64Array.from(sigmas)),
        brightest,
      };
    });
    return {
      level: channels.map(({ level }) => level),
      sigma: channels.map(({ sigma }) => sigma),
      brightest: channels.map(({ brightest }) => brightest),
    };
  },
  noisier: (value, times) => ({ ...value, sigma: value.sigma.map((v) => v * times) }),
};

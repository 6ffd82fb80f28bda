import * as z from "zod";
import type { Kernels } from "../kernels";
import { smoothed } from "../measure";
import type { Raster } from "../raster";
import { meanPlane, quantile } from "../raster";
import type { Fact } from "./fact";
import { noiseModel } from "./noiseModel";

/** Starlet smoothings before slopes are measured: a Gaussian of σ 2.24 px, nearly. */
const SMOOTHINGS = 2;
/** Variance of a slope, both axes together, that white noise of σ 1 has after them: 2/(8 π σ⁴). */
const NOISE_SLOPE = 2 / (8 * Math.PI * 5 ** 2);
/** At least this share of what is measured is the picture's. */
const LEAST_SHARE = 0.01;

const schema = z.object({
  /** Root mean square slope, per px, by channel. */
  slope: z.array(z.number()),
  /** The darkest level, by channel. */
  darkest: z.array(z.number()),
  /** Whether most of the picture is dark: a planet or a disc on a dark sky, or stars. */
  isObject: z.boolean(),
});
export type SurfaceFact = z.infer<typeof schema>;

/**
 * What a surface that fills the picture shows instead of a sky: how steep it is, seen through some 5 px, less what noise
 * makes of it, how dark at its darkest, and whether it fills the picture at all. A picture without
 * any detail has a slope of 0. Source: own.
 */
export const surface: Fact<SurfaceFact> = {
  id: "surface",
  title: "steepness and darkest level",
  schema,
  async measure(input, job) {
    const pieces = await input.samples();
    const { models } = await input.fact(noiseModel);
    const channels = models.map(({ a }, c) => {
      let [sum, count, darkest] = [0, 0, Infinity];
      for (const { planes, width, height } of pieces) {
        const smooth = smoothed(planes[c], width, height, SMOOTHINGS, job.kernels);
        for (const level of smooth) if (level < darkest) darkest = level;
        for (let y = 0; y + 1 < height; y++)
          for (let i = y * width; i + 1 < (y + 1) * width; i++, count++)
            sum += (smooth[i + 1] - smooth[i]) ** 2 + (smooth[i + width] - smooth[i]) ** 2;
      }
      const found = count > 0 ? sum / count : 0;
      return { slope: Math.sqrt(Math.max(found - NOISE_SLOPE * a, LEAST_SHARE * found)), darkest };
    });
    return {
      slope: channels.map(({ slope }) => slope),
      darkest: channels.map(({ darkest }) => darkest),
      isObject: litShare(pieces, job.kernels) < MOST_LIT,
    };
  },
  noisier: (value) => value,
};

/** One of so many pixels says how much is lit. */
const SPARSE = 5;
/**
 * What is brighter than the dark end by a share of the range counts as lit; a planet or a disc on a
 * dark sky lights no more of a picture than this, a surface nearly all.
 */
const [DARK_END, BRIGHT_END, LIT, MOST_LIT] = [0.02, 0.995, 0.15, 0.6];

/** The share of pixels, smoothed over some 8 px, that are lit. */
function litShare(pieces: readonly Raster[], kernels: Kernels): number {
  const smooth = pieces.map((piece) =>
    [0, 1, 2].reduce(
      (plane: Float32Array, j) => kernels.starletSmooth(plane, piece.width, piece.height, j),
      meanPlane(piece),
    ),
  );
  const values = smooth.flatMap((plane) => [...plane.filter((_, i) => i % SPARSE === 0)]);
  const [dark, bright] = [quantile(values, DARK_END), quantile(values, BRIGHT_END)];
  return values.filter((v) => v > dark + LIT * (bright - dark)).length / values.length;
}

import * as z from "zod";
import { findStars } from "../measure";
import { meanPlane } from "../raster";
import type { Fact } from "./fact";

/** Enough for masks and models of the bright ones. */
const MOST = 2000;

const schema = z.object({
  /** In px of the picture, the brightest first; of a large picture those of its samples. */
  stars: z.array(z.object({ x: z.number(), y: z.number(), flux: z.number(), peak: z.number(), snr: z.number() })),
});
export type StarsFact = z.infer<typeof schema>;

/** The stars of the picture (measure/stars.ts), on the mean of its channels. */
export const stars: Fact<StarsFact> = {
  id: "stars",
  title: "stars",
  schema,
  async measure(input, job) {
    const samples = await input.samples();
    const found = samples.flatMap((piece, k) =>
      findStars(meanPlane(piece), piece.width, piece.height, job.kernels).map(({ x, y, flux, peak, snr }) => ({
        x: x + input.places[k].x,
        y: y + input.places[k].y,
        flux,
        peak,
        snr,
      })),
    );
    return { stars: found.sort((a, b) => b.flux - a.flux).slice(0, MOST) };
  },
  noisier: (value, times) => ({ stars: value.stars.map((star) => ({ ...star, snr: star.snr / times })) }),
};

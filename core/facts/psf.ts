import * as z from "zod";
import { areAlike, findStars, starShape } from "../measure";
import { meanPlane } from "../raster";
import { isKept } from "./dropped";
import type { Fact } from "./fact";

const schema = z.object({
  /** Median FWHM and Moffat β of the clearest stars' fits; null where none could be fitted. */
  fwhmPx: z.number().nullable(),
  beta: z.number().nullable(),
  /** Whether they are so alike that they are stars: craters, knots and galaxies are not. */
  alike: z.boolean().default(true),
});
export type PsfFact = z.infer<typeof schema>;

/** The point-spread function as the picture's own stars show it (measure/stars.ts, measure/fit.ts). */
export const psf: Fact<PsfFact> = {
  id: "psf",
  follows: "stars",
  title: "shape of the stars",
  schema,
  async measure(input, job) {
    const samples = await input.samples();
    const pieces = samples.map((piece, k) =>
      findStars(meanPlane(piece), piece.width, piece.height, job.kernels).filter(isKept(input, k)),
    );
    const { fwhmPx, beta } = starShape(pieces.flat());
    return { fwhmPx, beta, alike: areAlike(pieces) };
  },
  noisier: (value) => value,
};

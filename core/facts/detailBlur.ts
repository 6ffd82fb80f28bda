import * as z from "zod";
import type { Kernels } from "../kernels";
import {
  blurOfPower,
  meanCovariance,
  powerOfCovariance,
  radialPower,
  sigmaAt,
  SLOPES,
  surroundings,
  windowedMean,
} from "../measure";
import type { Raster } from "../raster";
import { meanPlane } from "../raster";
import type { Fact } from "./fact";
import type { NoiseModelFact } from "./noiseModel";
import { noiseModel } from "./noiseModel";
import { surface } from "./surface";

const schema = z.object({
  /** FWHM in px; null where noise hides the fine detail. */
  fwhmPx: z.number().nullable(),
});
export type DetailBlurFact = z.infer<typeof schema>;

/**
 * How a picture without stars is blurred, as the course of its power over frequency
 * shows it (measure/detailBlur.ts); what is noise is measured by the halves, without them by the noise model.
 */
export const detailBlur: Fact<DetailBlurFact> = {
  id: "detailBlur",
  title: "blur, from the detail",
  schema,
  async measure(input, job) {
    const samples = await input.samples();
    const all = radialPower(lightOf(samples));
    const halves = await input.halfDifferences();
    const noise = halves
      ? radialPower(lightOf(halves)).power
      : modelled(samples, await input.fact(noiseModel), job.kernels);
    const { isObject } = await input.fact(surface);
    return { fwhmPx: blurOfPower(all, noise, isObject ? SLOPES.object : SLOPES.surface) };
  },
  noisier: (value) => value,
};

const lightOf = (pieces: readonly Raster[]) => pieces.map((piece) => ({ ...piece, plane: meanPlane(piece) }));

/** The power of the noise that a model has in the channels' mean. */
function modelled(pieces: readonly Raster[], { models, covariance }: NoiseModelFact, kernels: Kernels): Float64Array {
  const variances = pieces.flatMap(({ planes, width, height }) =>
    planes.map((plane, c) => {
      const level = surroundings(plane, width, height, kernels);
      return { plane: level.map((v) => sigmaAt(models[c], v) ** 2), width, height };
    }),
  );
  // Channels know nothing of one another: their mean has so much less.
  const variance = windowedMean(variances) / models.length;
  return powerOfCovariance(meanCovariance(covariance)).map((power) => power * variance);
}

import * as z from "zod";
import type { Kernels } from "../kernels";
import type { Raster } from "../raster";
import { meanPlane, median, robustSpread } from "../raster";
import { pixelNoise } from "./noise";
import { findStars } from "./stars";
import { starShape, withoutGaps } from "./subMeasures";

/** The definition of SNR that is printed beside every figure. */
export const SNR_DEFINITION = "20 log10((mean level − sky level) / noise σ per pixel)";

/** Measures of a region, on the mean of its channels; null where a measure is not defined there. */
export const pictureMeasures = z.object({
  /** Robust σ per pixel across starlet scales up to 8 px, so that noise which is only finer gone still counts. */
  noise: z.number(),
  /** σ per pixel of the noise that is left, as the halves show it (core/chain/noiseLeft.ts); null without halves. */
  noiseFromHalves: z.number().nullable(),
  /** Median level. */
  background: z.number(),
  /** In dB, see SNR_DEFINITION; null where the region is not brighter than the sky. */
  snrDb: z.number().nullable(),
  stars: z.number().int(),
  fwhmPx: z.number().nullable(),
});
export type PictureMeasures = z.infer<typeof pictureMeasures>;

/**
 * Measures a region. `noiseFromHalves` as they tell it of the same region; `skyLevel` the sky of the whole picture, against
 * which the signal counts (the region's own median less its robust σ where it is not given). With halves the SNR uses their noise.
 */
export function measurePicture(
  region: Raster,
  kernels: Kernels,
  options: { noiseFromHalves?: number | null; skyLevel?: number | null } = {},
): PictureMeasures {
  const { width, height } = region;
  const mean = meanPlane(region);
  const plane = withoutGaps(mean);
  const noise = pixelNoise(mean, width, height, kernels).sigma;
  const { noiseFromHalves = null } = options;
  const level = meanOf(mean);
  const sky = options.skyLevel ?? robustSpread(mean).centre - robustSpread(mean).sigma;
  const reference = noiseFromHalves ?? noise;
  const signal = level - sky;
  const found = findStars(plane, width, height, kernels);
  return {
    noise,
    noiseFromHalves,
    background: median(mean),
    snrDb: signal > 0 && reference > 0 ? 20 * Math.log10(signal / reference) : null,
    stars: found.length,
    fwhmPx: starShape(found).fwhmPx,
  };
}

function meanOf(values: Float32Array): number {
  let sum = 0;
  let n = 0;
  for (const v of values)
    if (v === v) {
      sum += v;
      n++;
    }
  return n > 0 ? sum / n : NaN;
}

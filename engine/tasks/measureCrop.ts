import { clippedShare, ringDepth } from "@/core/compare";
import { noiseLeft, runFilled, sigmaLeft, sigmaOfLight, stateAfter } from "@/core/chain";
import { sharpens, untouchedState } from "@/core/operations";
import type { PictureMeasures } from "@/core/measure";
import { findStars, measurePicture } from "@/core/measure";
import type { Region } from "@/core/raster";
import { meanPlane } from "@/core/raster";
import type { Treatment } from "./crop";
import { openPlace } from "./place";
import type { Task } from "./task";

export interface MeasurePayload {
  treatment: Treatment;
  region: Region;
  skyLevel: number | null;
  /** FWHM of the stack's stars, px, by which rings round them are measured. @default null */
  fwhmPx?: number | null;
}

/**
 * Measures of a crop, the share of its samples, in %, that the chain drove to black or white, and
 * how deep the deepest dark ring round a star is, in σ; that is null for a chain that sharpens
 * nothing.
 */
export type CropMeasures = PictureMeasures & { clipped: number | null; ringing: number | null };

/** Measures of a treated region; with halves they tell the noise. */
export const measureCrop: Task<MeasurePayload, CropMeasures> = {
  owned: async ({ treatment, region, skyLevel, fwhmPx = null }, context) => {
    const { input, steps, area, memos } = await openPlace({ treatment, region }, context);
    const treated = await runFilled(input.picture, steps, area, input.fill, context.job, memos.picture);
    const left = await noiseLeft(input, steps, area, context.job, memos);
    const state = stateAfter(treatment.steps, untouchedState(input.picture, { white: input.fullScale, sky: skyLevel }));
    const noiseFromHalves = left && sigmaLeft(left, sigmaOfLight);
    const before = await runFilled(input.picture, [], area, input.fill, context.job, memos.picture);
    const isLinear = state.domain === "linear";
    const isSharpened = steps.some(({ operation }) => sharpens(operation));
    const stars = () => findStars(meanPlane(before), area.width, area.height, context.job.kernels);
    return {
      ...measurePicture(treated, context.job.kernels, { noiseFromHalves, skyLevel: state.sky }),
      clipped: clippedShare(before, treated, input.fullScale, isLinear),
      ringing: isSharpened && isLinear ? ringDepth(before, treated, stars(), fwhmPx, context.job.kernels) : null,
    };
  },
};

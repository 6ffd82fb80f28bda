import type { ChainInput, ReadyStep } from "../../chain";
import { stateAfter } from "../../chain";
import type { JobHandle } from "../../job";
import type { PointShape } from "../../measure";
import { findStars } from "../../measure";
import type { Raster, Region } from "../../raster";
import { cropRaster, meanPlane } from "../../raster";
import { evidenceFrom, evidenceViews } from "../evidence";
import { untouchedState } from "../../operations";
import { MEASURES } from "./registry";

/** Values of all measures, by their ids; null where one is not defined. */
export type LaneMeasures = Record<string, number | null>;

/** All measures of what a chain makes of a region; `shape` is that of the stack's stars, `skyLevel` its sky. */
export async function measureLane(
  input: ChainInput,
  steps: readonly ReadyStep[],
  region: Region,
  { shape, skyLevel }: { shape: PointShape | null; skyLevel: number | null },
  job: JobHandle,
): Promise<LaneMeasures> {
  const views = await evidenceViews(input, steps, region, job);
  await job.breathe();
  const evidence = evidenceFrom(views, region, shape, job);
  const { before, after } = views.pictures;
  const [own, made] = [before, after].map((raster) => cropRaster(raster, views.inside));
  const stars = (raster: Raster) => findStars(meanPlane(raster), region.width, region.height, job.kernels);
  const of = {
    before: own,
    after: made,
    views,
    evidence,
    job,
    starsBefore: stars(own),
    starsAfter: stars(made),
    fwhmPx: shape?.fwhmPx ?? null,
    fullScale: input.fullScale,
    skyLevel: stateAfter(
      steps.map(({ step }) => step),
      untouchedState(input.picture, { white: input.fullScale, sky: skyLevel }),
    ).sky,
  };
  return Object.fromEntries(MEASURES.map((measure) => [measure.id, measure.valueOf(of)]));
}

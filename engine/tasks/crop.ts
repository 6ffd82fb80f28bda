import type { ChainMemo, ChainStep, ReadyStep } from "@/core/chain";
import { domainAfter, readySteps, runChain, runFilled, stepsForHalves } from "@/core/chain";
import type { PictureMeasures } from "@/core/measure";
import { measurePicture } from "@/core/measure";
import type { Raster, Region } from "@/core/raster";
import { createRaster, halfDifference, intersectRegions, reduceInto, tilesOf, wholeRegion } from "@/core/raster";
import type { StepFactIds } from "../facts";
import type { FrameRef } from "../frames";
import type { Task, Workshop } from "./task";

/** A picture and what is done to it. */
export interface Treatment {
  picture: FrameRef;
  halves: { a: FrameRef; b: FrameRef } | null;
  /** Level that fills missing pixels, by channel. */
  fill: number[];
  /** Full scale in samples of the picture. */
  fullScale: number;
  steps: ChainStep[];
  /** The facts of each step's input, by the ids under which the worker keeps their values (engine/facts.ts). */
  facts: StepFactIds[];
}

export interface CropPayload {
  treatment: Treatment;
  region: Region;
  /** Side of the square of pixels that becomes one (box mean); 1 for the pixels themselves. */
  reduce: number;
}

const TILE = 512;

/** The steps of a treatment with their operations and facts. */
export function stepsOf({ steps, facts }: Pick<Treatment, "steps" | "facts">, shop: Workshop): ReadyStep[] {
  return readySteps(
    steps,
    facts.map((ids) => shop.facts.valuesOf(ids)),
    (i) => facts[i],
  );
}

/** Results of a picture's chain prefixes, kept in this worker. */
const memoOf = (picture: FrameRef, { cache }: Workshop): ChainMemo => ({
  source: picture.id,
  get: (key) => cache.get(key),
  set: (key, raster) => cache.set(key, raster),
});

/** A treated region, reduced if asked; large regions are treated tile by tile. */
export const crop: Task<CropPayload, Raster> = async ({ treatment, region, reduce }, shop) => {
  const source = await shop.frames.open(treatment.picture);
  const steps = stepsOf(treatment, shop);
  const area = intersectRegions(region, wholeRegion(source));
  if (reduce === 1 && area.width * area.height <= TILE * TILE * 2)
    return runChain(source, steps, area, treatment.fill, shop.job, memoOf(treatment.picture, shop));
  const out = createRaster(Math.ceil(area.width / reduce), Math.ceil(area.height / reduce), source.channels);
  const side = Math.max(reduce, Math.floor(TILE / reduce) * reduce);
  const tiles = tilesOf(area, side);
  for (const [k, tile] of tiles.entries()) {
    await shop.job.breathe();
    const piece = await runChain(source, steps, tile, treatment.fill, { ...shop.job, progress: () => undefined });
    reduceInto(out, piece, (tile.x - area.x) / reduce, (tile.y - area.y) / reduce, reduce);
    shop.job.progress((k + 1) / tiles.length);
  }
  return out;
};

export interface MeasurePayload {
  treatment: Treatment;
  region: Region;
  skyLevel: number | null;
}

/** Measures of a treated region; with halves, both are treated the same way for the noise. */
export const measureCrop: Task<MeasurePayload, PictureMeasures> = async ({ treatment, region, skyLevel }, shop) => {
  const { picture, halves, fill } = treatment;
  const source = await shop.frames.open(picture);
  const steps = stepsOf(treatment, shop);
  const area = intersectRegions(region, wholeRegion(source));
  const treated = await runFilled(source, steps, area, fill, shop.job, memoOf(picture, shop));
  let difference: Raster | null = null;
  if (halves) {
    const ofHalf = async (ref: FrameRef): Promise<Raster> =>
      runChain(await shop.frames.open(ref), stepsForHalves(steps), area, fill, shop.job, memoOf(ref, shop));
    difference = halfDifference(await ofHalf(halves.a), await ofHalf(halves.b));
  }
  // A stretch moves the sky, so the linear sky level does not count after it.
  const sky = domainAfter(treatment.steps) === "stretched" ? null : skyLevel;
  return measurePicture(treated, shop.job.kernels, { halfDifference: difference, skyLevel: sky });
};

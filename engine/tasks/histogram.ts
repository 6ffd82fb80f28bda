import { quietly } from "@/core/job";
import { chainHalo, regionAfter, runChain, sizeAfter } from "@/core/chain";
import type { Histogram, HistogramRange } from "@/core/display";
import { histogramOf, mergedHistograms } from "@/core/display";
import type { Region } from "@/core/raster";
import { tilesOf } from "@/core/raster";
import type { Treatment } from "./crop";
import { stepsOf } from "./crop";
import type { Task } from "./task";
import { squareTileSide } from "./tiles";

export interface HistogramPayload {
  treatment: Treatment;
  /** In px of the stack; null for the whole picture. */
  region: Region | null;
  range: HistogramRange;
  /** Before: the picture as it is after so many of the steps; 0 for the stack itself. */
  before: number;
}

/** How samples lie in a region, or the whole, before some steps and after all. */
export const histogram: Task<HistogramPayload, { before: Histogram; after: Histogram }> = {
  owned: async ({ treatment, region, range, before }, context) => {
    const source = await context.frames.open(treatment.picture);
    const quiet = quietly(context.job);
    const of = async (count: number, share: number): Promise<Histogram> => {
      const { steps, facts } = treatment;
      const own = stepsOf({ steps: steps.slice(0, count), facts: facts.slice(0, count) }, context);
      const state = sizeAfter(own, source);
      const area = regionAfter(state, region ?? { x: 0, y: 0, width: source.width, height: source.height });
      const tiles = tilesOf(area, squareTileSide(chainHalo(own)));
      const parts: Histogram[] = [];
      for (const [k, tile] of tiles.entries()) {
        await context.job.breathe();
        parts.push(histogramOf(await runChain(source, own, tile, treatment.fill, quiet), range));
        context.job.progress(share / 2 + (k + 1) / tiles.length / 2);
      }
      return parts.length > 0 ? mergedHistograms(parts) : histogramOf(EMPTY, range);
    };
    return { before: await of(before, 0), after: await of(treatment.steps.length, 1) };
  },
};

/** A region that does not lie on the picture holds nothing. */
const EMPTY = { width: 0, height: 0, channels: 1, planes: [new Float32Array(0)] };

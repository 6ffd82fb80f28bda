import type { ChainMemo, ChainStep, ReadyStep } from "@/core/chain";
import { chainHalo, readySteps, runChain, sizeAfter, stepsForHalves } from "@/core/chain";
import { quietly, UserError } from "@/core/job";
import type { Raster, Region } from "@/core/raster";
import {
  createRaster,
  halfDifference,
  intersectRegions,
  isEmptyRegion,
  reduceInto,
  tilesOf,
  wholeRegion,
} from "@/core/raster";
import type { Warp } from "@/core/register";
import {
  compose,
  describeWarp,
  enlargedBy,
  IDENTITY,
  inverse,
  mapPoint,
  resample,
  sourceRegion,
} from "@/core/register";
import type { StepFactIds } from "../facts";
import type { FrameRef } from "../frames";
import type { Task, TaskContext } from "./task";
import { squareTileSide } from "./tiles";

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
  /**
   * From the picture's pixels to those of another grid on the sky, to which `region` then belongs:
   * for pictures that lie turned or at another scale than the one that they are held against.
   * Without it the picture's own pixels, whatever grid the steps lead to: what they leave out is NaN.
   */
  onto?: Warp | null;
  /** Half the difference of the treated halves in place of the picture. */
  isNoise?: boolean;
}

/** A region of no more pixels is treated at once. */
const AT_ONCE_PX = 2 ** 19;

/** The steps of a treatment with their operations and facts. */
export function stepsOf({ steps, facts }: Pick<Treatment, "steps" | "facts">, context: TaskContext): ReadyStep[] {
  return readySteps(
    steps,
    facts.map((ids) => context.facts.valuesOf(ids)),
    (i) => facts[i],
  );
}

/** Results of a picture's chain prefixes, kept in this worker. */
export const memoOf = (picture: FrameRef, { cache }: TaskContext): ChainMemo => ({
  source: picture.id,
  get: (key) => cache.get(key),
  set: (key, raster) => cache.set(key, raster),
});

/** A treated region, or the noise that is left in it, reduced if asked; large regions are treated tile by tile. */
export const crop: Task<CropPayload, Raster> = {
  cached: async (wanted, context) => {
    const { halves, picture } = wanted.treatment;
    if (!wanted.isNoise) return placed(wanted, picture, context);
    if (!halves) throw new UserError("a stack without halves does not tell its noise", "Show something else of it.");
    return halfDifference(await placed(wanted, halves.a, context), await placed(wanted, halves.b, context));
  },
};

async function placed(wanted: CropPayload, of: FrameRef, context: TaskContext): Promise<Raster> {
  const state = sizeAfter(stepsOf(wanted.treatment, context), await context.frames.open(of));
  const isMoved = state.toSource !== IDENTITY;
  if (!wanted.onto && !isMoved) return treatedRegion(wanted, of, context);
  const onto = compose(wanted.onto ?? IDENTITY, state.toSource);
  return ontoGrid({ ...wanted, onto }, of, context);
}

/** The treated picture resampled onto another grid; treated first, so that a treatment sees the noise as it is. NaN where there is no data. */
async function ontoGrid(wanted: CropPayload & { onto: Warp }, of: FrameRef, context: TaskContext): Promise<Raster> {
  const { region, reduce, onto } = wanted;
  const source = sizeAfter(stepsOf(wanted.treatment, context), await context.frames.open(of));
  const own = sourceRegion(region, onto, source);
  const middle = mapPoint(inverse(onto), region.x + region.width / 2, region.y + region.height / 2);
  const shrink = Math.max(1, Math.floor(reduce / describeWarp(onto, ...middle).scale));
  const target = {
    x: Math.floor(region.x / reduce),
    y: Math.floor(region.y / reduce),
    width: Math.ceil(region.width / reduce),
    height: Math.ceil(region.height / reduce),
  };
  if (isEmptyRegion(own)) {
    const empty = createRaster(target.width, target.height, source.channels);
    for (const plane of empty.planes) plane.fill(NaN);
    return empty;
  }
  // Blocks are those of the whole picture, whatever part of it is asked for.
  const [x, y] = [own.x, own.y].map((v) => Math.floor(v / shrink));
  const from = { x: x * shrink, y: y * shrink, width: 0, height: 0 };
  from.width = own.x + own.width - from.x;
  from.height = own.y + own.height - from.y;
  const treated = await treatedRegion({ ...wanted, region: from, reduce: shrink }, of, context);
  const warp = compose(inverse(enlargedBy(reduce)), compose(onto, enlargedBy(shrink)));
  return resample(treated, { x, y }, warp, target, { kernel: "bicubic", kernels: context.job.kernels });
}

/** A region of what the treatment makes, px of that. */
async function treatedRegion(
  { treatment, region, reduce, isNoise }: CropPayload,
  of: FrameRef,
  context: TaskContext,
): Promise<Raster> {
  const source = await context.frames.open(of);
  const ready = stepsOf(treatment, context);
  const steps = isNoise ? stepsForHalves(ready, source) : ready;
  const after = sizeAfter(steps, source);
  const area = intersectRegions(region, wholeRegion(after));
  if (reduce === 1 && area.width * area.height <= AT_ONCE_PX)
    return runChain(source, steps, area, treatment.fill, context.job, memoOf(of, context));
  const out = createRaster(Math.ceil(area.width / reduce), Math.ceil(area.height / reduce), after.channels);
  const side = Math.max(reduce, Math.floor(squareTileSide(chainHalo(steps)) / reduce) * reduce);
  const tiles = tilesOf(area, side);
  for (const [k, tile] of tiles.entries()) {
    await context.job.breathe();
    const piece = await runChain(source, steps, tile, treatment.fill, quietly(context.job));
    reduceInto(out, piece, (tile.x - area.x) / reduce, (tile.y - area.y) / reduce, reduce);
    context.job.progress((k + 1) / tiles.length);
  }
  return out;
}

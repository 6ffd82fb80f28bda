import type { ChainStep, ReadyStep } from "@/core/chain";
import { chainHalo, fillGaps, readySteps, runChain, stepsForHalves } from "@/core/chain";
import type { PictureMeasures } from "@/core/measure";
import { measurePicture } from "@/core/measure";
import type { FrameSource, Raster, Region } from "@/core/raster";
import { createRaster, cropRaster, growRegion, intersectRegions, tilesOf, wholeRegion } from "@/core/raster";
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
  contexts: (unknown[] | null)[];
}

export interface CropPayload {
  treatment: Treatment;
  region: Region;
  /** Side of the square of pixels that becomes one (box mean); 1 for the pixels themselves. */
  reduce: number;
}

const TILE = 512;

/** A treated region, reduced if asked; large regions are treated tile by tile. */
export const crop: Task<CropPayload, Raster> = async ({ treatment, region, reduce }, shop) => {
  const source = await shop.frames.open(treatment.picture);
  const steps = readySteps(treatment.steps, treatment.contexts);
  const area = intersectRegions(region, wholeRegion(source));
  if (reduce === 1 && area.width * area.height <= TILE * TILE * 2)
    return treated(treatment.picture.id, source, steps, area, treatment.fill, shop);
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

/**
 * runChain with a memory: the result of each prefix of the chain is kept by content (picture, steps with contexts, region),
 * so that changing the last step runs only the last step.
 */
async function treated(
  id: string,
  source: FrameSource,
  steps: ReadyStep[],
  region: Region,
  fill: number[],
  shop: Workshop,
): Promise<Raster> {
  const key = JSON.stringify([
    id,
    region,
    steps.map(({ step, contexts, operation }) => [step, contexts, operation.version]),
  ]);
  const known = shop.cache.get(key);
  if (known) return known;
  let result: Raster;
  if (steps.length === 0) result = await source.read(region);
  else {
    const last = steps[steps.length - 1];
    const around = intersectRegions(growRegion(region, chainHalo([last])), wholeRegion(source));
    const before = await treated(id, source, steps.slice(0, -1), around, fill, shop);
    const window: FrameSource = {
      width: source.width,
      height: source.height,
      channels: source.channels,
      // Operations do not change their input, so the piece itself will do where all of it is asked for.
      read: (part) =>
        Promise.resolve(
          part.width === around.width && part.height === around.height
            ? before
            : cropRaster(before, { ...part, x: part.x - around.x, y: part.y - around.y }),
        ),
    };
    result = await runChain(window, [last], region, fill, shop.job);
  }
  shop.cache.set(key, result);
  return result;
}

/** Box means of `reduce` × `reduce` pixels, missing ones left out; partial boxes at the border are means of what they hold. */
export function reduceInto(out: Raster, piece: Raster, x0: number, y0: number, reduce: number): void {
  const width = Math.ceil(piece.width / reduce);
  const height = Math.ceil(piece.height / reduce);
  for (let c = 0; c < piece.channels; c++)
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        let sum = 0;
        let n = 0;
        const bottom = Math.min(piece.height, (y + 1) * reduce);
        const right = Math.min(piece.width, (x + 1) * reduce);
        for (let py = y * reduce; py < bottom; py++)
          for (let px = x * reduce; px < right; px++) {
            const v = piece.planes[c][py * piece.width + px];
            if (v === v) {
              sum += v;
              n++;
            }
          }
        out.planes[c][(y0 + y) * out.width + x0 + x] = n > 0 ? sum / n : NaN;
      }
}

export interface MeasurePayload {
  treatment: Treatment;
  region: Region;
  skyLevel: number | null;
}

/** Measures of a treated region; with halves, both are treated the same way for the noise. */
export const measureCrop: Task<MeasurePayload, PictureMeasures> = async ({ treatment, region, skyLevel }, shop) => {
  const source = await shop.frames.open(treatment.picture);
  const steps = readySteps(treatment.steps, treatment.contexts);
  const area = intersectRegions(region, wholeRegion(source));
  const picture = await treated(treatment.picture.id, source, steps, area, treatment.fill, shop);
  let halfDifference: Raster | null = null;
  if (treatment.halves) {
    const halves: Raster[] = [];
    for (const ref of [treatment.halves.a, treatment.halves.b])
      halves.push(
        await treated(ref.id, await shop.frames.open(ref), stepsForHalves(steps), area, treatment.fill, shop),
      );
    const [a, b] = halves;
    halfDifference = { ...a, planes: a.planes.map((plane, c) => plane.map((v, i) => (v - b.planes[c][i]) / 2)) };
  }
  const filled = fillGaps(picture, treatment.fill);
  return measurePicture(filled, shop.job.kernels, { halfDifference, skyLevel: skyLevelAfter(steps, skyLevel) });
};

/** A stretch moves the sky, so the linear sky level does not count after it. */
function skyLevelAfter(steps: ReadyStep[], skyLevel: number | null): number | null {
  return steps.some(({ operation }) => operation.group === "stretch") ? null : skyLevel;
}

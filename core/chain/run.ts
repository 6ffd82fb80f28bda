import type { JobHandle } from "../job";
import { partOfJob } from "../job";
import type { FrameSource, Raster, Region } from "../raster";
import {
  cropRaster,
  fillGaps,
  growRegion,
  intersectRegions,
  rasterOf,
  relativeTo,
  wholeRegion,
  withGapsOf,
} from "../raster";
import { maskKey, maskValues } from "../mask";
import type { Shares } from "../operations";
import { memoize } from "../operations/memoize";
import { JOIN_HALO, joinFromMode, lightAround, splitForMode } from "./channels";
import type { ReadyStep } from "./ready";

/** Pixels of surroundings that a whole chain needs: the sum over its steps. */
export function chainHalo(steps: readonly ReadyStep[]): number {
  return steps.reduce((sum, step) => sum + stepHalo(step), 0);
}

function stepHalo({ operation, step, facts, join }: ReadyStep): number {
  return Math.max(join ? JOIN_HALO : 0, ...facts.map((own) => operation.halo(step.params, own)));
}

/** Keeps results of the first steps of a chain by what they are. `source` names the picture. */
export interface ChainMemo {
  source: string;
  get(key: string): Raster | undefined;
  set(key: string, raster: Raster): void;
}

/**
 * Runs a chain on a region of a picture and gives the same pixels as the whole-picture run (to each operation's bound). The last step
 * runs on the result of those before it on the region grown by its halo, clamped to the picture, and so on down to the
 * source. Missing pixels (NaN) are filled with `fill` (one level a channel, the same for every region) before the first
 * step and are missing again after the last. With a memo, only steps whose result it has not are run.
 */
export async function runChain(
  source: FrameSource,
  steps: readonly ReadyStep[],
  region: Region,
  fill: number[],
  job: JobHandle,
  memo: ChainMemo = forOneRun(),
): Promise<Raster> {
  if (steps.length === 0) return raw(source, region, memo);
  const result = await runFilled(source, steps, region, fill, job, memo);
  // What the first step was run on is remembered, and holds the region.
  const area = intersectRegions(growRegion(region, chainHalo(steps)), wholeRegion(source));
  return withGapsOf(result, cropRaster(await raw(source, area, memo), relativeTo(area, region)));
}

/** A memory for what one run, or a few of the same picture, ask for twice. */
export function forOneRun(): ChainMemo {
  const known = new Map<string, Raster>();
  return { source: "", get: (key) => known.get(key), set: (key, raster) => known.set(key, raster) };
}

/** runChain without its gaps: where data is missing, what the steps made of the fill. */
export async function runFilled(
  source: FrameSource,
  steps: readonly ReadyStep[],
  region: Region,
  fill: number[],
  job: JobHandle,
  memo?: ChainMemo,
): Promise<Raster> {
  if (steps.length === 0) return fillGaps(await raw(source, region, memo), fill);
  const key = memo && keyOf(memo, region, steps);
  const known = key === undefined ? undefined : memo?.get(key);
  if (known) return known;
  const last = steps[steps.length - 1];
  const share = (steps.length - 1) / steps.length;
  const before = steps.slice(0, -1);
  const area = intersectRegions(growRegion(region, stepHalo(last)), wholeRegion(source));
  const mixture = sharesOf(last);
  const values = Object.values(mixture).flat();
  const reached = values.some((v) => v > 0) ? await reachOf(last, source, region, fill, quiet(job), memo) : null;
  let result: Raster;
  if (values.every((v) => v === 0) || reached?.every((share) => share === 0))
    result = await runFilled(source, before, region, fill, job, memo);
  else if (values.some((v) => v < 1) || reached) {
    // The full effect is remembered by itself, so that another share of it costs a mixture.
    const full = await runFilled(source, [...before, atFull(last)], region, fill, partOfJob(job, 0, 0.95), memo);
    const input = await runFilled(source, before, area, fill, quiet(job), memo);
    result = mixed(cropRaster(input, relativeTo(area, region)), full, mixture, reached);
  } else {
    const input = await runFilled(source, before, area, fill, partOfJob(job, 0, share), memo);
    await job.breathe();
    const kept = relativeTo(area, region);
    result = cropRaster(await runStep(input, last, partOfJob(job, share, 1), area, kept), kept);
  }
  job.progress(1);
  if (key !== undefined) memo?.set(key, result);
  return result;
}

/** How much of a step's full effect goes into the picture: its blend, and what its settings say. */
function sharesOf({ operation, step: { blend, params } }: ReadyStep): Shares {
  const shares = operation.can.strength.mixes?.shares(params) ?? { light: 1, colour: 1 };
  if ("each" in shares) return { each: shares.each.map((share) => blend * share) };
  return { light: blend * shares.light, colour: blend * shares.colour };
}

/** How much of a step's effect its mask lets through, pixel by pixel; null for a step without one. */
async function reachOf(
  { mask }: ReadyStep,
  source: FrameSource,
  region: Region,
  fill: number[],
  job: JobHandle,
  memo?: ChainMemo,
): Promise<Float32Array | null> {
  if (!mask) return null;
  const { x, y, width, height } = region;
  const key = memo && JSON.stringify([memo.source, x, y, width, height, maskKey(mask.mask), mask.key]);
  const known = key === undefined ? undefined : memo?.get(key);
  if (known) return known.planes[0];
  const values = await maskValues(mask.mask, mask.untouched ?? source, region, fill, mask.facts, job);
  if (key !== undefined) memo?.set(key, rasterOf(width, height, [values]));
  return values;
}

/** A step with its full effect, everywhere. */
function atFull(ready: ReadyStep): ReadyStep {
  const { operation, step } = ready;
  const params = { ...step.params, ...operation.can.strength.mixes?.full };
  return { ...ready, mask: null, step: { ...step, params, blend: 1, mask: null } };
}

const quiet = (job: JobHandle): JobHandle => ({ ...job, progress: () => undefined });

/** What was before and shares of what came of it; `reached`, pixel by pixel, counts besides. */
function mixed(before: Raster, after: Raster, shares: Shares, reached: Float32Array | null): Raster {
  const { channels } = after;
  const light = "each" in shares ? shares.each : new Array<number>(channels).fill(shares.colour);
  const planes = after.planes.map((plane, c) => {
    const from = before.planes[c];
    const share = light[Math.min(c, light.length - 1)];
    const out = new Float32Array(plane.length);
    for (let i = 0; i < out.length; i++) {
      const own = reached ? share * reached[i] : share;
      out[i] = from[i] + own * (plane[i] - from[i]);
    }
    return out;
  });
  if ("each" in shares || shares.light === shares.colour) return { ...after, planes };
  const more = shares.light - shares.colour;
  for (let i = 0; i < planes[0].length; i++) {
    let change = 0;
    for (let c = 0; c < channels; c++) change += after.planes[c][i] - before.planes[c][i];
    const own = (more * change * (reached ? reached[i] : 1)) / channels;
    for (let c = 0; c < channels; c++) planes[c][i] += own;
  }
  return { ...after, planes };
}

async function raw(source: FrameSource, region: Region, memo?: ChainMemo): Promise<Raster> {
  const key = memo && keyOf(memo, region, []);
  const known = key === undefined ? undefined : memo?.get(key);
  if (known) return known;
  const read = await source.read(region);
  if (key !== undefined) memo?.set(key, read);
  return read;
}

function keyOf({ source }: ChainMemo, { x, y, width, height }: Region, steps: readonly ReadyStep[]): string {
  const stepKeys = steps.map(({ key, step }) => [key, step.params, step.blend, step.mask && maskKey(step.mask)]);
  return JSON.stringify([source, x, y, width, height, ...stepKeys]);
}

/** The full effect of a step. */
async function runStep(
  raster: Raster,
  { operation, step, facts, join }: ReadyStep,
  job: JobHandle,
  { x, y }: Region,
  kept: Region,
): Promise<Raster> {
  const pictures = splitForMode(raster, step.channels);
  const results: Raster[] = [];
  for (const [i, picture] of pictures.entries()) {
    const own = partOfJob(job, i / pictures.length, (i + 1) / pictures.length);
    const isIdle = operation.idle?.(step.params, facts[i]) ?? null;
    results.push(isIdle ? picture : await operation.run(picture, step.params, facts[i], own, { x, y, kept }));
  }
  const around =
    join && raster.channels > 1 ? await memoize(raster, "light around", () => lightAround(raster, job.kernels)) : null;
  return joinFromMode(raster, results, step.channels, join, around);
}

import type { JobHandle } from "../job";
import { partOfJob, quietly } from "../job";
import type { FrameSource, Raster, Region } from "../raster";
import {
  cropRaster,
  fillGaps,
  growRegion,
  intersectRegions,
  isEmptyRegion,
  rasterOf,
  relativeTo,
  wholeRegion,
  withGapsOf,
} from "../raster";
import { maskKey, maskValues } from "../mask";
import type { PictureState, Place, Shares } from "../operations";
import { untouchedState } from "../operations";
import { directValues, placedValues } from "../parameters";
import type { Warp } from "../register";
import { compose, IDENTITY, inverse, resample, sourceRegion } from "../register";
import { changesGrid, gridSteps, statesOf } from "./grid";
import { JOIN_HALO, joinFromMode, lightAround, splitForMode } from "./channels";
import type { ReadyStep } from "./ready";

/**
 * Pixels of the source around a region of the result that a chain needs, at most: the sum over its
 * steps where all stand on one grid.
 */
export function chainHalo(steps: readonly ReadyStep[]): number {
  const probe = { x: 0, y: 0, width: 1, height: 1 };
  const { width, height } = steps.reduceRight((region, step) => inputRegion(step, region), probe);
  return Math.ceil((Math.max(width, height) - 1) / 2);
}

/** The region of a step's input that a region of its result needs, not clamped. */
function inputRegion({ operation, step, facts, join }: ReadyStep, region: Region): Region {
  const regions = facts.map((own) => operation.source(region, step.params, own));
  if (regions.length === 0) regions.push(operation.source(region, step.params, {}));
  if (join) regions.push(growRegion(region, JOIN_HALO));
  return regions.reduce(around);
}

/** The smallest region that holds two. */
function around(a: Region, b: Region): Region {
  const [x, y] = [Math.min(a.x, b.x), Math.min(a.y, b.y)];
  const right = Math.max(a.x + a.width, b.x + b.width);
  const bottom = Math.max(a.y + a.height, b.y + b.height);
  return { x, y, width: right - x, height: bottom - y };
}

/** Keeps results of the first steps of a chain by what they are. `source` names the picture. */
export interface ChainMemo {
  source: string;
  get(key: string): Raster | undefined;
  set(key: string, raster: Raster): void;
}

/**
 * Runs a chain on a region of its result and gives the same pixels as the whole-picture run (to
 * each operation's bound). `region` is in px of the result, which are those of the picture unless a
 * step changes the grid. The last step runs on what those before it make of the region that it
 * needs (Operation.source), clamped to the picture, and so on down to the source. Missing pixels
 * (NaN) are filled with `fill` (one level a channel, the same for every region) before the first
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
  const ofGrid = gridSteps(steps, source);
  if (ofGrid.length > 0) return withoutGaps(result, await runFilled(gapsOf(source), ofGrid, region, [], quietly(job)));
  // What the first step was run on is remembered, and holds the region.
  const area = intersectRegions(growRegion(region, chainHalo(steps)), wholeRegion(source));
  return withGapsOf(result, cropRaster(await raw(source, area, memo), relativeTo(area, region)));
}

/** 1 where a picture has no data, 0 elsewhere. */
const gapsOf = (source: FrameSource): FrameSource => ({
  width: source.width,
  height: source.height,
  channels: source.channels,
  read: async (region) => {
    const raster = await source.read(region);
    return { ...raster, planes: raster.planes.map((plane) => plane.map((v) => (v === v ? 0 : 1))) };
  },
});

/** A pixel of which so much comes from where there was no data has none. */
const MOST_GAP = 1e-3;

/** NaN where another grid's pixel comes from where there was no data. */
const withoutGaps = (raster: Raster, gaps: Raster): Raster => ({
  ...raster,
  planes: raster.planes.map((plane, c) => plane.map((v, i) => (Math.abs(gaps.planes[c][i]) > MOST_GAP ? NaN : v))),
});

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
  const states = statesOf(steps, untouchedState(source));
  const [state, output] = states.slice(-2);
  const area = intersectRegions(inputRegion(last, region), wholeRegion(state));
  if (changesGrid(state, output)) {
    const input = await runFilled(source, before, area, fill, partOfJob(job, 0, share), memo);
    const kept = { x: 0, y: 0, width: area.width, height: area.height };
    const made = await runStep(input, here(last, state), partOfJob(job, share, 1), {
      x: area.x,
      y: area.y,
      kept,
      result: region,
    });
    if (key !== undefined) memo?.set(key, made);
    return made;
  }
  const mixture = sharesOf(last);
  const values = Object.values(mixture).flat();
  const reached = values.some((v) => v > 0)
    ? await reachOf(last, { source, state }, region, fill, quietly(job), memo)
    : null;
  let result: Raster;
  if (values.every((v) => v === 0) || reached?.every((share) => share === 0))
    result = await runFilled(source, before, region, fill, job, memo);
  else if (values.some((v) => v < 1) || reached) {
    // The full effect is remembered by itself, so that another share of it costs a mixture.
    const full = await runFilled(source, [...before, atFull(last)], region, fill, partOfJob(job, 0, 0.95), memo);
    const input = await runFilled(source, before, area, fill, quietly(job), memo);
    result = mixed(cropRaster(input, relativeTo(area, region)), full, mixture, reached);
  } else {
    const input = await runFilled(source, before, area, fill, partOfJob(job, 0, share), memo);
    await job.breathe();
    const kept = relativeTo(area, region);
    result = cropRaster(
      await runStep(input, here(last, state), partOfJob(job, share, 1), { x: area.x, y: area.y, kept, result: region }),
      kept,
    );
  }
  job.progress(1);
  if (key !== undefined) memo?.set(key, result);
  return result;
}

/** A step whose placed parameters are in px of what it gets. */
function here(ready: ReadyStep, { toSource }: PictureState): ReadyStep {
  if (toSource === IDENTITY) return ready;
  const params = placedValues(ready.operation.parameters, ready.step.params, inverse(toSource));
  return { ...ready, step: { ...ready.step, params } };
}

/** How much of a step's full effect goes into the picture: its blend, and what its settings say. */
function sharesOf({ operation, step: { blend, params } }: ReadyStep): Shares {
  const shares = operation.can.strength?.mixes?.shares(params) ?? { light: 1, colour: 1 };
  if ("each" in shares) return { each: shares.each.map((share) => blend * share) };
  return { light: blend * shares.light, colour: blend * shares.colour };
}

/** How much of a step's effect its mask lets through, pixel by pixel; null for a step without one. */
async function reachOf(
  { mask }: ReadyStep,
  { source, state }: { source: FrameSource; state: PictureState },
  region: Region,
  fill: number[],
  job: JobHandle,
  memo?: ChainMemo,
): Promise<Float32Array | null> {
  if (!mask) return null;
  const { x, y, width, height } = region;
  const toUntouched = mask.toUntouched ? compose(mask.toUntouched, state.toSource) : state.toSource;
  const isMoved = toUntouched !== IDENTITY;
  const grid = isMoved ? [toUntouched] : [];
  const key = memo && JSON.stringify([memo.source, x, y, width, height, maskKey(mask.mask), mask.key, ...grid]);
  const known = key === undefined ? undefined : memo?.get(key);
  if (known) return known.planes[0];
  const untouched = mask.untouched ?? source;
  const valuesIn = (area: Region) => maskValues(mask.mask, untouched, area, fill, mask.facts, job);
  const values = isMoved
    ? await valuesOnGrid(valuesIn, untouched, inverse(toUntouched), region, job)
    : await valuesIn(region);
  if (key !== undefined) memo?.set(key, rasterOf(width, height, [values]));
  return values;
}

/** A mask on another grid than that on which it is drawn; nothing outside of the picture. */
async function valuesOnGrid(
  valuesIn: (area: Region) => Promise<Float32Array>,
  untouched: FrameSource,
  toGrid: Warp,
  region: Region,
  job: JobHandle,
): Promise<Float32Array> {
  const area = sourceRegion(region, toGrid, untouched);
  if (isEmptyRegion(area)) return new Float32Array(region.width * region.height);
  const drawn = rasterOf(area.width, area.height, [await valuesIn(area)]);
  const [plane] = resample(drawn, area, toGrid, region, { kernel: "bilinear", kernels: job.kernels }).planes;
  return plane.map((v) => (v > 0 ? Math.min(1, v) : 0));
}

/** A step with its full effect, everywhere. */
function atFull(ready: ReadyStep): ReadyStep {
  const { operation, step } = ready;
  const params = { ...step.params, ...operation.can.strength?.mixes?.full };
  return { ...ready, mask: null, step: { ...step, params, blend: 1, mask: null } };
}

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
  const stepKeys = steps.map(({ key, operation, step }) => [
    key,
    directValues(operation.parameters, step.params),
    step.blend,
    step.mask && maskKey(step.mask),
  ]);
  return JSON.stringify([source, x, y, width, height, ...stepKeys]);
}

/** The full effect of a step. */
async function runStep(
  raster: Raster,
  { operation, step, facts, join }: ReadyStep,
  job: JobHandle,
  place: Place,
): Promise<Raster> {
  const pictures = splitForMode(raster, step.channels);
  const results: Raster[] = [];
  for (const [i, picture] of pictures.entries()) {
    const own = partOfJob(job, i / pictures.length, (i + 1) / pictures.length);
    const isIdle = operation.idle?.(step.params, facts[i]) ?? null;
    results.push(
      isIdle ? picture : await operation.run(picture, { params: step.params, facts: facts[i], job: own, place }),
    );
  }
  const around =
    join && raster.channels > 1
      ? job.kernels.memory.remember(raster, "light around", () => lightAround(raster, job.kernels))
      : null;
  return joinFromMode(raster, results, step.channels, join, around);
}

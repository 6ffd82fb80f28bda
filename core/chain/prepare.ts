import type { JobHandle } from "../job";
import { UserError } from "../job";
import type { PictureSampler } from "../operations";
import { findOperation } from "../operations";
import type { FrameSource, Raster, Region } from "../raster";
import { tilesOf, wholeRegion } from "../raster";
import { splitForMode } from "./channels";
import type { ReadyStep } from "./run";
import { readySteps, runChain, stepsForHalves } from "./run";
import type { ChainStep } from "./schema";

/** A stack as the chain sees it: the picture, its halves where there are some, and the level that fills its gaps. */
export interface ChainInput {
  picture: FrameSource;
  halves: { a: FrameSource; b: FrameSource } | null;
  fill: number[];
  /** Full scale in samples of the picture. */
  fullScale: number;
}

const SAMPLE_SIDE = 320;
const MAX_SAMPLES = 9;

/** Regions that stand for the whole picture: all of it where it is small, else nine pieces spread evenly. */
export function sampleRegions(size: { width: number; height: number }): Region[] {
  const tiles = tilesOf(wholeRegion(size), SAMPLE_SIDE).filter((tile) => tile.width >= 32 && tile.height >= 32);
  if (tiles.length === 0) return [wholeRegion(size)];
  if (tiles.length <= MAX_SAMPLES) return tiles;
  const columns = 3;
  return Array.from({ length: MAX_SAMPLES }, (_, i) => {
    const width = Math.min(SAMPLE_SIDE, size.width);
    const height = Math.min(SAMPLE_SIDE, size.height);
    const x = Math.round((((i % columns) + 0.5) / columns) * size.width - width / 2);
    const y = Math.round(((Math.floor(i / columns) + 0.5) / columns) * size.height - height / 2);
    return { x: Math.max(0, x), y: Math.max(0, y), width, height };
  });
}

/**
 * Makes the contexts of step `index` from samples of the picture as it is after the steps before it (whose contexts must be
 * given), one context for each picture that the step's mode works on.
 */
export async function prepareStep(
  input: ChainInput,
  steps: ChainStep[],
  contexts: (unknown[] | null)[],
  index: number,
  job: JobHandle,
): Promise<unknown[]> {
  const step = steps[index];
  const operation = findOperation(step.operation);
  if (!operation) throw new UserError(`unknown operation “${step.operation}”`, "Remove the step from the chain.");
  const before = readySteps(steps.slice(0, index), contexts.slice(0, index));
  const regions = sampleRegions(input.picture);
  const take = (source: FrameSource, steps = before) => treated(source, steps, regions, input.fill, job);
  const forHalves = stepsForHalves(before);
  let picture: Promise<Raster[]> | null = null;
  let halves: Promise<Raster[] | null> | null = null;
  const samples = () => (picture ??= take(input.picture));
  const halfDifferences = () =>
    (halves ??= input.halves
      ? differences(take(input.halves.a, forHalves), take(input.halves.b, forHalves))
      : Promise.resolve(null));
  const pictures = splitForMode((await samples())[0], step.channels).length;
  const made: unknown[] = [];
  for (let k = 0; k < pictures; k++) {
    const ofMode = (pieces: Raster[]) => pieces.map((piece) => splitForMode(piece, step.channels)[k]);
    const look: PictureSampler = {
      fullScale: before.some(({ operation: { group } }) => group === "stretch") ? 1 : input.fullScale,
      samples: async () => ofMode(await samples()),
      halfDifferences: async () => {
        const pieces = await halfDifferences();
        return pieces && ofMode(pieces);
      },
    };
    made.push(await operation.prepare(operation.params.parse(step.params), look, job));
  }
  return made;
}

/** Prepares all steps of a chain in their order; steps that are off get null. */
export async function prepareChain(
  input: ChainInput,
  steps: ChainStep[],
  job: JobHandle,
): Promise<(unknown[] | null)[]> {
  const contexts: (unknown[] | null)[] = steps.map(() => null);
  for (const [i, step] of steps.entries()) if (step.on) contexts[i] = await prepareStep(input, steps, contexts, i, job);
  return contexts;
}

async function treated(
  source: FrameSource,
  steps: ReadyStep[],
  regions: Region[],
  fill: number[],
  job: JobHandle,
): Promise<Raster[]> {
  const pieces: Raster[] = [];
  for (const region of regions) {
    const piece = await runChain(source, steps, region, fill, job);
    pieces.push({ ...piece, planes: piece.planes.map((plane, c) => plane.map((v) => (v === v ? v : fill[c]))) });
  }
  return pieces;
}

async function differences(a: Promise<Raster[]>, b: Promise<Raster[]>): Promise<Raster[]> {
  const [first, second] = await Promise.all([a, b]);
  return first.map((piece, k) => ({
    ...piece,
    planes: piece.planes.map((plane, c) => plane.map((v, i) => (v - second[k].planes[c][i]) / 2)),
  }));
}

import type { ChainInput, ReadyStep } from "../chain";
import {
  added,
  chainHalo,
  onOwnGrid,
  DISTURBED,
  frameAt,
  isStretched,
  localVariance,
  NOISIER,
  restorationOf,
  runFilled,
  stepsForHalves,
  stepsForNoisier,
} from "../chain";
import type { JobHandle } from "../job";
import { quietly } from "../job";
import type { Region } from "../raster";
import { growRegion, halfDifference, intersectRegions, meanPlane, rasterOf, wholeRegion } from "../raster";

/** Side of the blocks in which errors are held against one another, px: wider than what denoised noise shares. */
const BLOCK = 24;

/** Errors of a treated place against what was held out of it, by blocks: mean squares in units of the noise's variance, and how many pixels each block has. */
export interface HeldOut {
  squares: number[];
  pixels: number[];
  /** What it was held against; errors of one place compare only where it is the same. */
  against: string;
}

/** Light of a place before some steps, its noise, and what the steps make of it with a share of that noise added and taken off; row-major. */
export interface Disturbed {
  before: Float32Array;
  noise: Float32Array;
  plus: Float32Array;
  minus: Float32Array;
}

/**
 * The mean over each block of ((D(z + αn) − z + n/α)² − (1/α + α)² n²)/v + (1 + α²), and the same for −n: the noise of z − n/α is independent of that of z + αn. 1 + α² for what leaves z as it is. `inside` lies in planes of `width`.
 * Source: as strengthCurve (core/chain/strength.ts).
 */
export function heldOutBlocks(
  { before, noise, plus, minus }: Disturbed,
  width: number,
  inside: Region,
  job: JobHandle,
): HeldOut {
  const [variance] = localVariance(rasterOf(width, noise.length / width, [noise]), job);
  const squares = new Float32Array(inside.width * inside.height);
  for (let y = 0, k = 0; y < inside.height; y++)
    for (let x = 0; x < inside.width; x++, k++) {
      const i = (y + inside.y) * width + x + inside.x;
      const untouched = (1 / DISTURBED + DISTURBED) * noise[i];
      const [p, q] = [plus[i] - before[i] + noise[i] / DISTURBED, minus[i] - before[i] - noise[i] / DISTURBED];
      squares[k] = 1 + DISTURBED ** 2 + (p * p + q * q - 2 * untouched * untouched) / (2 * variance[i]);
    }
  return { ...meansOfBlocks(squares, inside, () => true), against: "what is noisier" };
}

/** Means over the blocks of a place of the pixels that count; blocks in which none does are left out. */
function meansOfBlocks(
  plane: Float32Array,
  { width, height }: { width: number; height: number },
  counts: (i: number) => boolean,
): Pick<HeldOut, "squares" | "pixels"> {
  const columns = Math.ceil(width / BLOCK);
  const count = columns * Math.ceil(height / BLOCK);
  const [sums, pixels] = [new Float64Array(count), new Float64Array(count)];
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) {
      if (!counts(i)) continue;
      const block = Math.floor(y / BLOCK) * columns + Math.floor(x / BLOCK);
      sums[block] += plane[i];
      pixels[block]++;
    }
  const known = [...pixels.keys()].filter((k) => pixels[k] > 0);
  return { squares: known.map((k) => sums[k] / pixels[k]), pixels: known.map((k) => pixels[k]) };
}

/** The error in σ of the noise: the root of the mean over all pixels of the places. */
export function heldOutError(places: readonly HeldOut[]): number {
  let [sum, pixels] = [0, 0];
  for (const place of places)
    place.squares.forEach((square, k) => {
      sum += square * place.pixels[k];
      pixels += place.pixels[k];
    });
  return Math.sqrt(Math.max(0, sum / pixels));
}

/**
 * Errors of what steps `tested` make of a place, after steps `before` of both the picture and its halves. Null without halves, and where they do more than take noise away, but for one step alone that says which blur it takes away, on linear data.
 */
export async function heldOutOf(
  whole: ChainInput,
  upTo: ReadyStep[],
  tested: ReadyStep[],
  place: Region,
  job: JobHandle,
): Promise<HeldOut | null> {
  const { input, steps: before } = onOwnGrid(whole, upTo, job);
  if (!input.halves) return null;
  if (tested.length === 1 && tested[0].operation.can.restoration?.blur)
    return heldOutOfRestored(input, before, tested[0], place, job);
  if (tested.some(({ operation }) => !operation.can.noiseReduction)) return null;
  return heldOutOfDenoised({ ...input, halves: input.halves }, before, tested, place, job);
}

/** The picture before the step is what it should come to, but for its noise. */
async function heldOutOfDenoised(
  { picture, halves, fill }: ChainInput & { halves: NonNullable<ChainInput["halves"]> },
  before: ReadyStep[],
  tested: ReadyStep[],
  place: Region,
  job: JobHandle,
): Promise<HeldOut> {
  const quiet = quietly(job);
  const reach = intersectRegions(growRegion(place, chainHalo(tested)), wholeRegion(picture));
  const z = await runFilled(picture, before, reach, fill, quiet);
  const ofHalf = stepsForHalves(before, picture);
  const [a, b] = [
    await runFilled(halves.a, ofHalf, reach, fill, quiet),
    await runFilled(halves.b, ofHalf, reach, fill, quiet),
  ];
  const noise = halfDifference(a, b);
  const noisier = stepsForNoisier(tested, picture, NOISIER);
  const light = async (of: typeof z, steps: ReadyStep[]) =>
    meanPlane(await runFilled(frameAt(of, reach, picture), steps, place, fill, quiet));
  const [plus, minus] = [
    await light(added(z, noise, DISTURBED), noisier),
    await light(added(z, noise, -DISTURBED), noisier),
  ];
  const disturbed = { before: await light(z, []), noise: await light(noise, []), plus, minus };
  const inside = { x: 0, y: 0, width: place.width, height: place.height };
  return heldOutBlocks(disturbed, place.width, inside, job);
}

/**
 * What it should come to is measured by the other half, filtered; less the noise of that, which is
 * in all errors alike. May come out below 0 by chance.
 */
async function heldOutOfRestored(
  input: ChainInput,
  before: ReadyStep[],
  restoring: ReadyStep,
  place: Region,
  job: JobHandle,
): Promise<HeldOut | null> {
  if (restoring.step.channels === "chrominance" || isStretched(before.map(({ step }) => step))) return null;
  const restoration = await restorationOf(input, before, restoring, place, job);
  if (!restoration) return null;
  const { filter, weight, heldNoise, squares } = restoration;
  const errors = (await squares(restoring)).map((square, i) => weight[i] * (square - heldNoise[i]));
  const power = filter.values.reduce((sum, v) => sum + v * v, 0);
  return {
    ...meansOfBlocks(errors, place, (i) => weight[i] > 0),
    against: `the other half through a filter of ${filter.size} px and power ${power}`,
  };
}

/** Which of several treatments has the least error, and which differ from it by no more than chance. */
export interface LeastError {
  errors: number[];
  best: number;
  alike: boolean[];
}

/** So many standard errors of a mean are chance (95 %). */
const CHANCE = 1.96;

/** The least error of treatments of the same places, each with its places in the same order; by paired differences of blocks. Source: paired t-test for many blocks. */
export function leastError(treatments: readonly (readonly HeldOut[])[]): LeastError {
  const errors = treatments.map(heldOutError);
  const best = errors.indexOf(Math.min(...errors));
  const blocks = (of: readonly HeldOut[]) => of.flatMap(({ squares }) => squares);
  const weights = treatments[best].flatMap(({ pixels }) => pixels);
  const total = weights.reduce((sum, w) => sum + w, 0);
  const least = blocks(treatments[best]);
  const alike = treatments.map((of, k) => {
    if (k === best) return true;
    const apart = blocks(of).map((square, i) => square - least[i]);
    const mean = apart.reduce((sum, d, i) => sum + weights[i] * d, 0) / total;
    const variance = apart.reduce((sum, d, i) => sum + (weights[i] * (d - mean)) ** 2, 0) / total ** 2;
    return mean <= CHANCE * Math.sqrt((variance * apart.length) / Math.max(1, apart.length - 1));
  });
  return { errors, best, alike };
}

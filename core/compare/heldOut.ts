import type { ChainInput, ReadyStep } from "../chain";
import {
  added,
  chainHalo,
  DISTURBED,
  frameAt,
  localVariance,
  NOISIER,
  runFilled,
  stepsForHalves,
  stepsForNoisier,
} from "../chain";
import type { JobHandle } from "../job";
import type { Region } from "../raster";
import { growRegion, halfDifference, intersectRegions, meanPlane, rasterOf, wholeRegion } from "../raster";

/** Side of the blocks in which errors are held against one another, px: wider than what denoised noise shares. */
const BLOCK = 24;

/** Errors of a treated place against what was held out of it, by blocks: mean squares in units of the noise's variance, and how many pixels each block has. */
export interface HeldOut {
  squares: number[];
  pixels: number[];
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
  const columns = Math.ceil(inside.width / BLOCK);
  const count = columns * Math.ceil(inside.height / BLOCK);
  const [sums, pixels] = [new Float64Array(count), new Float64Array(count)];
  for (let y = 0; y < inside.height; y++)
    for (let x = 0; x < inside.width; x++) {
      const i = (y + inside.y) * width + x + inside.x;
      const block = Math.floor(y / BLOCK) * columns + Math.floor(x / BLOCK);
      const untouched = (1 / DISTURBED + DISTURBED) * noise[i];
      const [p, q] = [plus[i] - before[i] + noise[i] / DISTURBED, minus[i] - before[i] - noise[i] / DISTURBED];
      sums[block] += (p * p + q * q - 2 * untouched * untouched) / (2 * variance[i]);
      pixels[block]++;
    }
  return { squares: Array.from(sums, (sum, k) => 1 + DISTURBED ** 2 + sum / pixels[k]), pixels: Array.from(pixels) };
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
 * Errors of what steps `tested` make of a place, after steps `before` of both the picture and its halves. Null without halves, and where a tested step does more than take noise away: then the picture before is not what it should come to.
 */
export async function heldOutOf(
  { picture, halves, fill }: ChainInput,
  before: ReadyStep[],
  tested: ReadyStep[],
  place: Region,
  job: JobHandle,
): Promise<HeldOut | null> {
  if (!halves || tested.some(({ operation }) => operation.group !== "noise")) return null;
  const quiet = { ...job, progress: () => undefined };
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

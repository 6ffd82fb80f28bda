import type { JobHandle } from "../job";
import { quietly } from "../job";
import type { FrameSource, Raster, Region } from "../raster";
import { clippedMean, halfDifference, meanPlane } from "../raster";
import type { ChainInput } from "./input";
import type { ReadyStep } from "./ready";
import { stepsForHalves, stepsForNoisier } from "./ready";
import type { ChainMemo } from "./run";
import { runChain } from "./run";

/** The share of the noise that the halves show by which a picture is disturbed: small, so that its noise stays nearly its own. */
export const DISTURBED = 0.25;
/** How much noisier it is then. */
export const NOISIER = Math.sqrt(1 + DISTURBED ** 2);

/**
 * What a chain leaves of the noise n = (A − B)/2, measured in two ways: half the difference of the
 * treated halves, each at its noise of √2 σ; and (D(z + αn) − D(z − αn))/2α, α = ¼. For linear
 * chains both are D(n).
 */
export interface NoiseLeft {
  halves: Raster;
  disturbed: Raster;
  /** Weight of the second against the first; null where both tell the same. */
  weight: number | null;
}

/** Weight of the disturbed picture for a chain: the mean over its steps that say one (Capabilities.disturbedWeight). */
export function disturbedWeight(steps: readonly ReadyStep[]): number | null {
  const weights = steps.flatMap(({ operation }) => operation.can.disturbedWeight ?? []);
  return weights.length > 0 ? weights.reduce((sum, w) => sum + w, 0) / weights.length : null;
}

/**
 * σ of the noise that is left, `sigmaOf` telling σ of a difference: disturbed^w · halves^(1 − w). Methods that decide by thresholds answer a small disturbance too strongly, and the noisier halves too weakly, each by a share that is theirs;
 * the weights were measured on the simulator, and bring what is measured within 3 % of repeated nights (docs/methods/).
 */
export function sigmaLeft({ halves, disturbed, weight }: NoiseLeft, sigmaOf: (noise: Raster) => number): number {
  const ofHalves = sigmaOf(halves);
  return weight === null ? ofHalves : ofHalves ** (1 - weight) * sigmaOf(disturbed) ** weight;
}

/** σ of the light's noise, clipped at 5 σ. Not by MAD: what shrinkage leaves is not normally distributed, and only variances add up then. */
export const sigmaOfLight = (noise: Raster): number => clippedMean(meanPlane(noise), 5).sigma;

/** A picture with a share of the noise that its halves show added. */
export function disturbedFrame(
  picture: FrameSource,
  halves: { a: FrameSource; b: FrameSource },
  share: number,
): FrameSource {
  const { width, height, channels } = picture;
  return {
    width,
    height,
    channels,
    read: async (region) => {
      const noise = halfDifference(await halves.a.read(region), await halves.b.read(region));
      return added(await picture.read(region), noise, share);
    },
  };
}

/** a + share · b. */
export function added(a: Raster, b: Raster, share: number): Raster {
  return { ...a, planes: a.planes.map((plane, c) => plane.map((v, i) => v + share * b.planes[c][i])) };
}

/** Weights so near to 0 or 1 are taken for it where time counts: half the work, for 2 % of σ at most. */
const NEAR = 0.2;

/** What a chain leaves of the noise in a region; null without halves. Of the two ways only what is needed is run. `memos` keep what was treated already, of the halves and of the two disturbed pictures. */
export async function noiseLeft(
  { picture, halves, fill }: ChainInput,
  steps: readonly ReadyStep[],
  region: Region,
  job: JobHandle,
  memos?: Record<"a" | "b" | "plus" | "minus", ChainMemo>,
): Promise<NoiseLeft | null> {
  if (!halves) return null;
  const quiet = quietly(job);
  const run = (source: FrameSource, chain: ReadyStep[], memo?: ChainMemo) =>
    runChain(source, chain, region, fill, quiet, memo);
  const ofHalves = async (): Promise<Raster> => {
    const chain = stepsForHalves([...steps], picture);
    return halfDifference(await run(halves.a, chain, memos?.a), await run(halves.b, chain, memos?.b));
  };
  const ofDisturbed = async (): Promise<Raster> => {
    const chain = stepsForNoisier([...steps], picture, NOISIER);
    const plus = await run(disturbedFrame(picture, halves, DISTURBED), chain, memos?.plus);
    const minus = await run(disturbedFrame(picture, halves, -DISTURBED), chain, memos?.minus);
    return differenceOver(plus, minus, 2 * DISTURBED);
  };
  const weight = disturbedWeight(steps) ?? 0;
  if (weight > NEAR && weight < 1 - NEAR) return { halves: await ofHalves(), disturbed: await ofDisturbed(), weight };
  const only = await (weight <= NEAR ? ofHalves() : ofDisturbed());
  return { halves: only, disturbed: only, weight: null };
}

/** (a − b)/by. */
export const differenceOver = (a: Raster, b: Raster, by: number): Raster => ({
  ...a,
  planes: a.planes.map((plane, c) => plane.map((v, i) => (v - b.planes[c][i]) / by)),
});

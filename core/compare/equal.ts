import type { ChainInput, ChainMemo, ChainStep, StepFacts } from "../chain";
import { readySteps, runChain, runFilled, stepsForHalves } from "../chain";
import type { JobHandle } from "../job";
import { findStars, starShape, STARLET_NOISE } from "../measure";
import { findOperation } from "../operations";
import type { FrameSource, Region } from "../raster";
import { clippedMean, halfDifference, meanPlane } from "../raster";
import { bands } from "./evidence";

/** What shall be equal: the noise that is left, told by the halves at all sizes together (null) or at the starlet scale of 2^scale px; or the FWHM of the stars. */
export type EqualMeasure = { of: "noise"; scale: number | null } | { of: "width" };

/** A lane whose step `index` is to be made weaker or stronger; `facts` as the screen has them. `memos` keep what was treated already, of the picture and the halves. */
export interface EqualLane {
  input: ChainInput;
  steps: ChainStep[];
  facts: StepFacts[];
  index: number;
  regions: Region[];
  keyOf?: (index: number) => unknown;
  memos?: { picture: ChainMemo; a: ChainMemo; b: ChainMemo };
}

export interface Equalled {
  strength: number;
  /** What the measure is there. */
  reached: number;
  /** Whether that is the target, within 1 %; else it is as near as strengths 0 … 1 come. */
  isReached: boolean;
  /** Noise that is left by scale (1, 2, 4, 8 px), σ over that of white noise: lanes that are equal at one size may differ at others. */
  scales: number[];
}

/** How near is equal. */
export const EQUAL_WITHIN = 0.01;
const TRIES = 14;

/** The step whose strength decides: the last that is on and takes noise (or blur) away; −1 for none. */
export function decidingStep(steps: readonly ChainStep[], measure: EqualMeasure): number {
  const group = measure.of === "noise" ? "noise" : "deconvolve";
  return steps.findLastIndex(({ on, operation }) => on && findOperation(operation)?.group === group);
}

/**
 * The strength of the lane's step at which the measure is the target, within 1 %: by false position between 0 and 1 (the measure falls with strength). Steps after it keep their facts. Where the range does not reach it, its nearer end. NaN where the measure is
 * not defined (no halves, no stars). Source: Illinois variant, Dowell & Jarratt 1971, BIT 11, 168.
 */
export async function strengthFor(
  lane: EqualLane,
  target: number,
  measure: EqualMeasure,
  job: JobHandle,
): Promise<Equalled> {
  const known = new Map<number, Promise<number>>();
  const at = (strength: number): Promise<number> => {
    const value = known.get(strength) ?? measureAt(lane, strength, measure, job);
    known.set(strength, value);
    return value;
  };
  const found = async (strength: number): Promise<Equalled> => {
    const reached = await at(strength);
    return {
      ...{ strength, reached, isReached: Math.abs(reached / target - 1) <= EQUAL_WITHIN },
      scales: await noiseByScale(lane, strength, job),
    };
  };
  let [low, high] = [0, 1];
  let [above, below] = [(await at(low)) - target, (await at(high)) - target];
  if (!(above > 0)) return found(low);
  if (!(below < 0)) return found(high);
  let best = high;
  for (let k = 0; k < TRIES; k++) {
    job.progress((k + 1) / TRIES);
    const next = Math.round(((low * below - high * above) / (below - above)) * 1000) / 1000;
    const rest = (await at(next)) - target;
    best = next;
    if (Math.abs(rest) <= (EQUAL_WITHIN / 4) * target || high - low <= 0.001) break;
    if (rest > 0) {
      [low, above] = [next, rest];
      below /= 2;
    } else {
      [high, below] = [next, rest];
      above /= 2;
    }
  }
  return found(best);
}

/** The measure of a lane as it is, or at another strength of its step; NaN where it is not defined. */
export async function measureAt(
  lane: EqualLane,
  strength: number | null,
  measure: EqualMeasure,
  job: JobHandle,
): Promise<number> {
  if (measure.of === "width") return widthAt(lane, strength, job);
  if (measure.scale !== null) return (await noiseByScale(lane, strength, job))[measure.scale] ?? NaN;
  const squares = await overRegions(lane, strength, job, (light) => clippedMean(light, 5).sigma ** 2);
  return Math.sqrt(squares.reduce((sum, v) => sum + v, 0) / squares.length);
}

const SCALES = 4;

async function noiseByScale(lane: EqualLane, strength: number | null, job: JobHandle): Promise<number[]> {
  const found = await overRegions(lane, strength, job, (light, { width, height }) =>
    bands(light, width, height, job, SCALES).map((band) => clippedMean(band, 5).sigma ** 2),
  );
  return STARLET_NOISE.slice(0, SCALES).map(
    (unit, j) => Math.sqrt(found.reduce((sum, of) => sum + of[j], 0) / found.length) / unit,
  );
}

/** Half the difference of the treated halves' light in each region. Nothing without halves. */
async function overRegions<T>(
  lane: EqualLane,
  strength: number | null,
  job: JobHandle,
  tell: (light: Float32Array, region: Region) => T,
): Promise<T[]> {
  const { halves, picture, fill } = lane.input;
  if (!halves) return [];
  const steps = stepsForHalves(stepsAt(lane, strength), picture);
  const out: T[] = [];
  for (const region of lane.regions) {
    await job.breathe();
    const of = (half: FrameSource, memo?: ChainMemo) =>
      runChain(half, steps, region, fill, { ...job, progress: () => undefined }, memo);
    const [a, b] = [await of(halves.a, lane.memos?.a), await of(halves.b, lane.memos?.b)];
    out.push(tell(meanPlane(halfDifference(a, b)), region));
  }
  return out;
}

async function widthAt(lane: EqualLane, strength: number | null, job: JobHandle): Promise<number> {
  const steps = stepsAt(lane, strength);
  const { picture, fill } = lane.input;
  const stars = [];
  for (const region of lane.regions) {
    await job.breathe();
    const quiet = { ...job, progress: () => undefined };
    const plane = meanPlane(await runFilled(picture, steps, region, fill, quiet, lane.memos?.picture));
    stars.push(...findStars(plane, region.width, region.height, job.kernels));
  }
  return starShape(stars).fwhmPx ?? NaN;
}

function stepsAt({ steps, facts, index, keyOf }: EqualLane, strength: number | null) {
  const changed = steps.map((step, i) => {
    const operation = findOperation(step.operation);
    if (i !== index || !operation || strength === null) return step;
    return { ...step, params: { ...step.params, [operation.strength]: strength } };
  });
  return readySteps(changed, facts, keyOf);
}

import type { ChainInput, ChainMemo, ChainStep, ReadyStep } from "../chain";
import { noiseLeft, runFilled, sigmaLeft, sigmaOfLight } from "../chain";
import type { JobHandle } from "../job";
import type { Star } from "../measure";
import { findStars, starShape, STARLET_NOISE } from "../measure";
import { findOperation, withStrength } from "../operations";
import type { Region } from "../raster";
import { clippedMean, meanPlane } from "../raster";
import { bands } from "./evidence";

/**
 * What shall be equal: the noise that is left, measured by the halves at all sizes together (null)
 * or at the starlet scale of 2^scale px; what varies in patches of sky, over 1 to 8 px, for which
 * no halves are needed; or the FWHM of the
 * stars.
 */
export type EqualMeasure = { of: "noise"; scale: number | null } | { of: "patches" } | { of: "width" };

/** What is measured of a lane. `memos` keep what was treated already, of the picture, the halves and the disturbed pictures. */
export interface EqualLane {
  input: ChainInput;
  steps: ReadyStep[];
  memos?: Record<"picture" | "a" | "b" | "plus" | "minus", ChainMemo>;
}

/** What one region shows of a measure: parts of it add up. */
export interface EqualPart {
  pixels: number;
  /** Variance of the noise or grain; null where it is not defined, or not what is measured. */
  variance: number | null;
  /** Variances of the noise by scale (1, 2, 4, 8 px). */
  scales: number[];
  stars: Star[];
}

/** A measure over some regions; NaN where it is not defined. `scales`: σ by scale over that of white noise. */
export interface EqualReading {
  value: number;
  scales: number[];
}

export interface Equalled {
  /** What the measure was. */
  before: number;
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
const SCALES = 4;
/** Strength that stands in for 0. */
const NEXT_TO_NOTHING = 0.001;

/** The step whose strength decides: the last that is on and takes noise (or blur) away; −1 for none. */
export function decidingStep(steps: readonly ChainStep[], measure: EqualMeasure): number {
  const wanted = measure.of === "width" ? "restoration" : "noiseReduction";
  return steps.findLastIndex(({ on, operation }) => on && findOperation(operation)?.can[wanted] !== undefined);
}

/** A region's part of a measure of a lane. */
export async function equalPart(
  lane: EqualLane,
  region: Region,
  measure: EqualMeasure,
  job: JobHandle,
): Promise<EqualPart> {
  const { steps } = lane;
  const { width, height } = region;
  const part: EqualPart = { pixels: width * height, variance: null, scales: [], stars: [] };
  const light = async () => {
    const { picture, fill } = lane.input;
    return meanPlane(await runFilled(picture, steps, region, fill, job, lane.memos?.picture));
  };
  if (measure.of === "width") return { ...part, stars: findStars(await light(), width, height, job.kernels) };
  if (measure.of === "patches") {
    const fine = new Float32Array(part.pixels);
    for (const band of bands(await light(), width, height, job, SCALES))
      for (let i = 0; i < fine.length; i++) fine[i] += band[i];
    return { ...part, variance: clippedMean(fine, 5).sigma ** 2 };
  }
  const left = await noiseLeft(lane.input, steps, region, job, lane.memos);
  if (!left) return part;
  const planes = new Map([left.halves, left.disturbed].map((noise) => [noise, meanPlane(noise)]));
  const scales = STARLET_NOISE.slice(0, SCALES).map(
    (_, j) =>
      sigmaLeft(left, (noise) => {
        const plane = planes.get(noise) ?? meanPlane(noise);
        return clippedMean(bands(plane, width, height, job, SCALES)[j], 5).sigma;
      }) ** 2,
  );
  return { ...part, variance: sigmaLeft(left, sigmaOfLight) ** 2, scales };
}

/** The measure over all regions. */
export function equalReading(parts: readonly EqualPart[], measure: EqualMeasure): EqualReading {
  const known = parts.flatMap(({ variance, ...part }) => (variance === null ? [] : { ...part, variance }));
  const pixels = known.reduce((sum, part) => sum + part.pixels, 0);
  const rms = (of: (part: (typeof known)[number]) => number) =>
    Math.sqrt(known.reduce((sum, part) => sum + part.pixels * of(part), 0) / pixels);
  const isTold = measure.of === "noise" && known.length > 0;
  const scales = isTold ? STARLET_NOISE.slice(0, SCALES).map((unit, j) => rms(({ scales: of }) => of[j]) / unit) : [];
  if (measure.of === "width") return { value: starShape(parts.flatMap(({ stars }) => stars)).fwhmPx ?? NaN, scales };
  if (measure.of === "noise" && measure.scale !== null) return { value: scales[measure.scale] ?? NaN, scales };
  return { value: rms(({ variance }) => variance), scales };
}

/**
 * The strength at which a measure that falls with it is the target, within 1 %: by false position
 * between 0 and 1. Where the range does not reach it, its nearer end. `read` shows the measure at
 * a strength, or as it is (null). NaN where
 * that is not defined (no halves, no stars). Source: Illinois variant, Dowell & Jarratt 1971, BIT 11, 168.
 */
export async function strengthFor(
  read: (strength: number | null) => Promise<EqualReading>,
  target: number,
): Promise<Equalled> {
  const known = new Map<number, Promise<EqualReading>>();
  // At 0 a step needs no surroundings, and all before it would be made anew for less of them.
  const at = (strength: number): Promise<EqualReading> => {
    const value = known.get(strength) ?? read(Math.max(strength, NEXT_TO_NOTHING));
    known.set(strength, value);
    return value;
  };
  const { value: before } = await read(null);
  const found = async (strength: number): Promise<Equalled> => {
    const { value: reached, scales } = await at(strength);
    return { before, strength, reached, isReached: Math.abs(reached / target - 1) <= EQUAL_WITHIN, scales };
  };
  let [low, high] = [0, 1];
  let [above, below] = (await Promise.all([at(low), at(high)])).map(({ value }) => value - target);
  if (!(above > 0)) return found(low);
  if (!(below < 0)) return found(high);
  let best = high;
  for (let k = 0; k < TRIES; k++) {
    const next = Math.round(((low * below - high * above) / (below - above)) * 1000) / 1000;
    const rest = (await at(next)).value - target;
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

/** A chain with step `index` at another strength; as it is for null. */
export const atStrength = (steps: readonly ChainStep[], index: number, strength: number | null): ChainStep[] =>
  steps.map((step, i) => {
    const operation = findOperation(step.operation);
    if (i !== index || !operation || strength === null) return step;
    return { ...step, params: withStrength(operation, step.params, strength) };
  });

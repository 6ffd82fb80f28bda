import type { ChainInput, ChainMemo, NoiseLeft, ReadyStep } from "../../chain";
import {
  differenceOver,
  DISTURBED,
  disturbedFrame,
  disturbedWeight,
  forOneRun,
  isStretched,
  NOISIER,
  runFilled,
  stepsForHalves,
  stepsForNoisier,
} from "../../chain";
import type { JobHandle } from "../../job";
import { quietly } from "../../job";
import type { FrameSource, Raster, Region } from "../../raster";
import { difference, halfDifference, meanPlane, relativeTo } from "../../raster";
import type { LaneBlur } from "./reconvolved";
import { reconvolved, laneBlur } from "./reconvolved";
import { areaOf } from "./place";
import { bootstrapLight, bootstrapResidual, treatedBootstrap } from "./bootstrapResidual";

/**
 * What the maps and the stars are measured from: the light (mean of the channels) of a place with
 * its surroundings, row-major, each `width` × `height`.
 */
export interface SupportViews {
  width: number;
  height: number;
  /** Where the place lies in it. */
  inside: Region;
  /** The stack before the chain; stretched as the chain stretches, where it does. */
  before: Float32Array;
  /** What the chain makes of it. */
  after: Float32Array;
  /** That, blurred as the stack is where the chain takes blur away: what it says the data should look like. */
  told: Float32Array;
  /** Share of the light in a scale by which what was blurred so may differ from the stack; 0 where it was not. */
  tolerance: number;
  /** Of what the chain is off from its own answer, at most this share of the light in a scale counts. */
  ownWays: number;
  /** How far the chain is off from its own answer, where the lane was blurred again and that is known (bootstrapResidual.ts); null otherwise. */
  byItself: Float32Array | null;
  /** (A − B)/2 before the chain, and the halves. Null without halves. */
  noise: Float32Array | null;
  halves: { a: Float32Array; b: Float32Array } | null;
  /** What the chain takes of that noise: from the stack with a share of it added, and taken off where that is there too. */
  taken: Float32Array | null;
}

/** What all evidence is measured from. */
export interface EvidenceViews extends SupportViews {
  /** The stack and what the chain makes of it in all channels, without gaps; of the same size. */
  pictures: { before: Raster; after: Raster };
  /** What the chain leaves of the noise. */
  left: Float32Array | null;
  /** The stack with a share of the noise added and taken off, treated and blurred as `told`. */
  disturbed: { plus: Float32Array; minus: Float32Array } | null;
  /** The halves, each treated at its own noise. */
  treatedHalves: { a: Float32Array; b: Float32Array } | null;
  /** What the chain leaves of the noise, in all channels; null without halves. */
  remaining: NoiseLeft | null;
  /** What the chain took for a megapixel here, s. */
  secondsPerMpx: number;
  /** Whether values are as the sensor counts: nothing stretches them. */
  isLinear: boolean;
}

/** Pictures that the chain is run over besides the stack itself: its halves, and the stack with a share of its noise added and taken off. */
export const NOISY_SOURCES = ["a", "b", "plus", "minus"] as const;
export type NoisySource = (typeof NOISY_SOURCES)[number];

/**
 * What may be made elsewhere: what is measured of the stack alone, and what the chain makes of the
 * other pictures and of its own answer.
 */
export type MadeOf = { whole?: WholeViews; answer?: Raster } & Partial<Record<NoisySource, Raster>>;

/** Throws for what was made of another place, or came without its pixels. */
function checkMade({ whole, ...treated }: MadeOf, { width, height }: Region): void {
  const wanted = width * height;
  const planes: [string, Float32Array[]][] = Object.entries(treated).map(([name, raster]) => [
    name,
    raster?.planes ?? [],
  ]);
  if (whole) planes.push(["whole", [whole.before, whole.after, whole.told]]);
  for (const [name, all] of planes)
    for (const { length } of all)
      if (length !== wanted)
        throw new RangeError(`${name} must have ${width} × ${height} pixels, received a plane of ${length}`);
}

/** What a chain makes of one of them, each at its own noise, over a place with its surroundings; `memo` keeps what its first steps make. Throws without halves. */
export async function treatedSource(
  { picture, halves, fill }: ChainInput,
  steps: readonly ReadyStep[],
  place: Region,
  which: NoisySource,
  job: JobHandle,
  memo?: ChainMemo,
): Promise<Raster> {
  const run = (source: FrameSource, chain: readonly ReadyStep[]) =>
    runFilled(source, chain, areaOf(place, picture), fill, quietly(job), memo);
  if (!halves) throw new RangeError("a stack without halves has nothing else to tell evidence from");
  if (which === "a" || which === "b") return run(halves[which], stepsForHalves([...steps], picture));
  const share = which === "plus" ? DISTURBED : -DISTURBED;
  return run(disturbedFrame(picture, halves, share), stepsForNoisier([...steps], picture, NOISIER));
}

/** What is measured of the stack and the lane alone. */
export type WholeViews = Omit<
  EvidenceViews,
  "byItself" | "noise" | "halves" | "taken" | "left" | "disturbed" | "treatedHalves" | "remaining"
> & {
  blur: LaneBlur | null;
};

/** The views of a place; the facts of the steps are those of the whole stack. */
export async function evidenceViews(
  input: ChainInput,
  steps: readonly ReadyStep[],
  place: Region,
  job: JobHandle,
  made: MadeOf = {},
): Promise<EvidenceViews> {
  checkMade(made, areaOf(place, input.picture));
  const whole = made.whole ?? (await wholeViews(input, steps, place, job));
  const { blur, ...views } = whole;
  if (!input.halves)
    return {
      ...views,
      byItself: null,
      noise: null,
      halves: null,
      taken: null,
      left: null,
      disturbed: null,
      treatedHalves: null,
      remaining: null,
    };
  const treated = async (which: NoisySource) => made[which] ?? (await treatedSource(input, steps, place, which, job));
  const told = (plane: Float32Array, given: Float32Array) => reconvolved(plane, given, views, blur, job);
  const { noise, halves } = await noiseOf(input, input.halves, steps, place, job);
  const [plus, minus] = [await treated("plus"), await treated("minus")];
  job.progress(0.5);
  const answer = made.answer ?? (await answerOf(input, steps, place, whole, job));
  job.progress(0.6);
  const [halfA, halfB] = [await treated("a"), await treated("b")];
  const ofDisturbed = differenceOver(plus, minus, 2 * DISTURBED);
  const left = meanPlane(ofDisturbed);
  const disturbedBy = (share: number) => views.before.map((v, i) => v + share * noise[i]);
  return {
    ...views,
    noise,
    halves,
    left,
    byItself: answer && bootstrapResidual(answer, whole, noise, job),
    disturbed: {
      plus: told(meanPlane(plus), disturbedBy(DISTURBED)),
      minus: told(meanPlane(minus), disturbedBy(-DISTURBED)),
    },
    taken: difference(noise, told(left, noise)),
    treatedHalves: { a: meanPlane(halfA), b: meanPlane(halfB) },
    remaining: { halves: halfDifference(halfA, halfB), disturbed: ofDisturbed, weight: disturbedWeight(steps) },
  };
}

/**
 * What maps and stars are measured from at first, of two runs of the chain: that over the stack,
 * and that over the stack with a share of the noise added. Null without halves.
 */
export async function supportViews(
  input: ChainInput,
  steps: readonly ReadyStep[],
  place: Region,
  job: JobHandle,
  made: MadeOf = {},
): Promise<SupportViews | null> {
  if (!input.halves) return null;
  checkMade(made, areaOf(place, input.picture));
  const views = made.whole ?? (await wholeViews(input, steps, place, job));
  const { noise, halves } = await noiseOf(input, input.halves, steps, place, job);
  const plus = made.plus ?? (await treatedSource(input, steps, place, "plus", job));
  const left = meanPlane(differenceOver(plus, views.pictures.after, DISTURBED));
  return {
    ...views,
    byItself: null,
    noise,
    halves,
    taken: difference(noise, reconvolved(left, noise, views, views.blur, job)),
  };
}

/** What the chain makes of its own answer; null where that says nothing. */
async function answerOf(
  input: ChainInput,
  steps: readonly ReadyStep[],
  place: Region,
  whole: WholeViews,
  job: JobHandle,
): Promise<Raster | null> {
  const light = bootstrapLight(whole);
  return light && treatedBootstrap(input, steps, place, light, job);
}

/**
 * What is measured of the stack and the lane alone, over a place with its surroundings. With a
 * `memo` that outlives the call, the seconds are those of what it had not.
 */
export async function wholeViews(
  input: ChainInput,
  steps: readonly ReadyStep[],
  place: Region,
  job: JobHandle,
  memo: ChainMemo = forOneRun(),
): Promise<WholeViews> {
  const { picture, fill } = input;
  const area = areaOf(place, picture);
  const isLinear = stretchesOf(steps).length === 0;
  const untouched = await runFilled(picture, [], area, fill, job);
  const before = isLinear ? meanPlane(untouched) : await light(input, picture, stretchesOf(steps), area, job);
  const started = Date.now();
  const treated = await runFilled(picture, steps, area, fill, quietly(job), memo);
  const secondsPerMpx = (1000 * (Date.now() - started)) / (area.width * area.height);
  const after = meanPlane(treated);
  job.progress(0.3);
  const blur = await laneBlur(input, steps, area, { before, after }, job, memo);
  const { width, height } = area;
  return {
    width,
    height,
    inside: relativeTo(area, place),
    pictures: { before: untouched, after: treated },
    secondsPerMpx,
    before,
    after,
    isLinear,
    told: reconvolved(after, before, area, blur, job),
    tolerance: blur?.tolerance ?? 0,
    ownWays: blur?.ownWays ?? 0,
    blur,
  };
}

/** The halves of a place, stretched as the chain stretches, and half their difference. */
async function noiseOf(
  input: ChainInput,
  { a, b }: NonNullable<ChainInput["halves"]>,
  steps: readonly ReadyStep[],
  place: Region,
  job: JobHandle,
) {
  const area = areaOf(place, input.picture);
  const stretches = stepsForHalves(stretchesOf(steps), input.picture);
  const halves = { a: await light(input, a, stretches, area, job), b: await light(input, b, stretches, area, job) };
  return { halves, noise: halves.a.map((v, i) => (v - halves.b[i]) / 2) };
}

/** The steps that change what samples are. */
const stretchesOf = (steps: readonly ReadyStep[]) => steps.filter(({ step }) => isStretched([step]));

/** The light of what steps make of an area. */
const light = async (
  { fill }: ChainInput,
  source: FrameSource,
  steps: readonly ReadyStep[],
  area: Region,
  job: JobHandle,
): Promise<Float32Array> => meanPlane(await runFilled(source, steps, area, fill, quietly(job)));

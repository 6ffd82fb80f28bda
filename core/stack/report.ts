import * as z from "zod";
import { resamplingCost, resamplingNoiseGain, warpSchema } from "../register";
import { cautionsOf } from "./cautions";
import type { PlannedSub, StackPlan, SubFacts } from "./plan";
import { residualVector } from "./relation";
import type { StackSettings } from "./settings";

/** What a stack's time goes into, one after the other. */
export const STAGES = ["measure", "match", "level", "combine", "drizzle", "inspect", "write"] as const;

const stage = z.object({
  stage: z.enum(STAGES),
  seconds: z.number(),
  /**
   * Most bytes that were held at once up to the end of it: of the process where that can be
   * measured, else of the samples alone; null where neither is known.
   */
  peakBytes: z.number().nullable(),
});
export type Stage = z.infer<typeof stage>;

/** What a stack is made of and how good it became. Levels are in the units of the picture (full scale 1). */
export const stackReport = z.object({
  referenceName: z.string(),
  subsUsed: z.number().int(),
  integrationS: z.number(),
  rejectedFraction: z.number(),
  /** How outliers were told, and why so; null in reports of before this was kept. */
  rejection: z.object({ id: z.string(), why: z.string() }).nullable().default(null),
  subs: z.array(
    z.object({
      id: z.string(),
      name: z.string(),
      used: z.boolean(),
      reason: z.string().nullable(),
      /** What is odd about a sub that was used; null for nothing. */
      note: z.string().nullable().default(null),
      /** From sub pixel coordinates to the reference's; null where the sub was not matched. */
      toReference: warpSchema.nullable(),
      residualPx: z.number().nullable(),
      pairs: z.number().int().nullable(),
      scale: z.number().nullable(),
      weight: z.array(z.number()).nullable(),
      /** What it adds: its share of all weights, mean of the channels; null where it was not used, or not kept. */
      share: z.number().nullable().default(null),
      /** Residuals of matched stars: place in the reference, and how far beside it. */
      vectors: z.array(residualVector).default([]),
      /** Shares of its pixels that were rejected above the others (or on a trail), and below; null where that was not kept. */
      rejected: z.object({ above: z.number(), below: z.number() }).nullable().default(null),
      half: z.enum(["A", "B"]).nullable(),
      /** Trails that were taken out whole. */
      trails: z.number().int().default(0),
      fwhmPx: z.number().nullable(),
      eccentricity: z.number().nullable(),
      stars: z.number().int(),
      background: z.array(z.number()),
      noise: z.array(z.number()),
    }),
  ),
  noise: z.array(
    z.object({
      /** σ per pixel from the halves; null for a single sub. */
      fromHalves: z.number().nullable(),
      /** What weighting predicts from the subs' noise, resampling included; null where that noise, or how neighbours share it, is not known. */
      expected: z.number().nullable(),
      /** Noise of the median used sub, scaled to the reference, over each of the two; null where it is not known. */
      expectedGain: z.number().nullable(),
      measuredGain: z.number().nullable(),
    }),
  ),
  /** How the counts of what was rejected of each sub lie over the stack: blocks of `px` px, the first of which begins at (left, top). */
  blocks: z
    .object({ columns: z.number().int(), rows: z.number().int(), px: z.number(), left: z.number(), top: z.number() })
    .nullable()
    .default(null),
  /** What resampling costs stars of the median sub and white noise, in the mean over all places between pixels (ResamplingCost). */
  resampling: z.object({ widening: z.number(), noise: z.number(), shared: z.number() }).nullable().default(null),
  /** Of how many subs saturated cores were filled, and from how many others; null for none. */
  cores: z.object({ filled: z.number().int(), from: z.number().int() }).nullable().default(null),
  fwhmPx: z.number().nullable(),
  medianSubFwhmPx: z.number().nullable(),
  seconds: z.number(),
  peakBytes: z.number(),
  stages: z.array(stage).default([]),
  /** How evenly drops fell, where the stack was drizzled: spread of the light on a pixel over its mean, share of thin pixels, and what is to be said of it. */
  dither: z.object({ spread: z.number(), thin: z.number(), warning: z.string().nullable() }).nullable().default(null),
  /** What a person should know before believing it, in sentences without a full stop. */
  cautions: z.array(z.string()).default([]),
  /** On whose pixels it lies, where that is not its reference: stacks of other filters share them. */
  pixelsOf: z.string().nullable().default(null),
});
export type StackReport = z.infer<typeof stackReport>;

/** What was found out about the finished stack. */
export interface StackFindings {
  /** σ of (A − B)/2, per channel. */
  halvesSigma: number[];
  fwhmPx: number | null;
  samples: number;
  rejected: number;
  seconds: number;
  peakBytes: number;
  stages?: Stage[];
  dither?: StackReport["dither"];
  blocks?: StackReport["blocks"];
  /** Pixels at which each sub was rejected above the others, and below them, in the order of the plan. */
  rejectedOf?: { above: number; below: number }[];
  /**
   * How the noise of a sub's neighbouring pixels is correlated, per channel (as in resamplingNoiseGain), where their demosaic shows it;
   * null where only the subs' own measures do.
   */
  correlation?: readonly (readonly number[])[] | null;
}

/**
 * σ per pixel of the whole stack from σ of (A − B)/2: with weights W_A and W_B in the halves the stack's variance is
 * 1/(W_A + W_B), that of (A − B)/2 is (1/W_A + 1/W_B)/4; their ratio is 4 W_A W_B / (W_A + W_B)².
 */
export function stackSigmaFromHalves(halvesSigma: number, weightA: number, weightB: number): number {
  return (halvesSigma * 2 * Math.sqrt(weightA * weightB)) / (weightA + weightB);
}

function noteOn({ measures: { blackShare, double, blank } }: SubFacts): string | null {
  if (blackShare > 0)
    return `black is cut off (${Math.round(100 * blackShare)} % of its pixels): its noise is not known, and it weighs as the least of the others`;
  if (double) return "shows its stars twice";
  return typeof blank === "number" ? "its borders of one value count as no data" : null;
}

/** A figure, or null where it came to nothing: zero noise, one sub, an unknown. */
const known = (value: number): number | null => (Number.isFinite(value) && value > 0 ? value : null);

/** Share of a sub in all weights, mean of the channels. */
function shareOf({ weight }: PlannedSub, used: readonly PlannedSub[]): number {
  const shares = weight.map((own, c) => own / used.reduce((sum, other) => sum + other.weight[c], 0));
  return shares.reduce((a, b) => a + b, 0) / shares.length;
}

function coresOf({ used, fullAt }: StackPlan): StackReport["cores"] {
  if (fullAt === null) return null;
  const filled = used.filter((sub) => sub.fullAt !== null).length;
  return { filled, from: used.length - filled };
}

export function makeReport(
  plan: StackPlan,
  facts: SubFacts[],
  settings: StackSettings,
  findings: StackFindings,
): StackReport {
  const byId = new Map(facts.map((sub) => [sub.id, sub]));
  const planned = new Map(plan.used.map((sub) => [sub.id, sub]));
  const reasons = new Map(plan.leftOut.map((sub) => [sub.id, sub.reason]));
  const pixels = plan.width * plan.height;
  const rejectedOf = new Map(
    plan.used.map(({ id }, i) => {
      const found = findings.rejectedOf?.[i];
      return [id, found ? { above: found.above / pixels, below: found.below / pixels } : null];
    }),
  );
  const usedFacts = plan.used.map((sub) => byId.get(sub.id) as SubFacts);
  const noise = findings.halvesSigma.map((halves, c) => {
    const sigma = plan.used.map((sub, i) => sub.scale * usedFacts[i].measures.noise[c]);
    const weights = plan.used.map((sub) => sub.weight[c]);
    const total = weights.reduce((a, b) => a + b, 0);
    const ofHalf = (half: "A" | "B") =>
      plan.used.reduce((sum, sub) => sum + (sub.half === half ? sub.weight[c] : 0), 0);
    const fromHalves = plan.used.length > 1 ? stackSigmaFromHalves(halves, ofHalf("A"), ofHalf("B")) : NaN;
    // What finishes a stack by scale acts on what resampling left.
    const correlation = findings.correlation?.[c] ?? plan.scales?.correlation[c];
    const isWhite = usedFacts.every(({ measures }) => measures.noiseCorrelation[c] === 1);
    const gainOf = (sub: StackPlan["used"][number], i: number): number =>
      resamplingNoiseGain(sub.toReference, usedFacts[i], settings.resampling, correlation);
    const expected =
      findings.correlation?.[c] || isWhite
        ? ((plan.scales?.noise[c] ?? 1) *
            Math.sqrt(plan.used.reduce((sum, sub, i) => sum + (weights[i] * sigma[i] * gainOf(sub, i)) ** 2, 0))) /
          total
        : NaN;
    const sorted = [...sigma].sort((a, b) => a - b);
    const one = sorted[Math.floor(sorted.length / 2)];
    return {
      fromHalves: known(fromHalves),
      expected: known(expected),
      expectedGain: known(one / expected),
      measuredGain: known(one / fromHalves),
    };
  });
  const widths = usedFacts
    .flatMap((sub) => (sub.measures.fwhmPx === null ? [] : [sub.measures.fwhmPx]))
    .sort((a, b) => a - b);
  const medianWidth = widths.length > 0 ? widths[Math.floor(widths.length / 2)] : null;
  return stackReport.parse({
    referenceName: byId.get(plan.referenceId)?.name ?? plan.referenceId,
    subsUsed: plan.used.length,
    integrationS: usedFacts.reduce((sum, sub) => sum + (sub.exposureS ?? 0), 0),
    rejectedFraction: findings.samples > 0 ? findings.rejected / findings.samples : 0,
    rejection: plan.rejection,
    subs: facts.map((sub) => {
      const used = planned.get(sub.id);
      return {
        id: sub.id,
        name: sub.name,
        used: used !== undefined,
        reason: reasons.get(sub.id) ?? null,
        note: used ? noteOn(sub) : null,
        toReference: used?.toReference ?? null,
        residualPx: used?.residualPx ?? null,
        pairs: used?.pairs ?? null,
        scale: used?.scale ?? null,
        weight: used?.weight ?? null,
        share: used ? shareOf(used, plan.used) : null,
        vectors: used?.vectors ?? [],
        rejected: used ? (rejectedOf.get(sub.id) ?? null) : null,
        half: used?.half ?? null,
        trails: used?.trails.length ?? 0,
        fwhmPx: sub.measures.fwhmPx,
        eccentricity: sub.measures.eccentricity,
        stars: sub.measures.stars,
        background: sub.measures.background,
        noise: sub.measures.noise,
      };
    }),
    noise,
    fwhmPx: findings.fwhmPx,
    medianSubFwhmPx: medianWidth,
    seconds: findings.seconds,
    peakBytes: findings.peakBytes,
    stages: findings.stages ?? [],
    dither: findings.dither ?? null,
    blocks: findings.blocks ?? null,
    cores: coresOf(plan),
    cautions: cautionsOf(plan, facts),
    pixelsOf: plan.pixelsOf,
    resampling: medianWidth === null ? null : resamplingCost(settings.resampling, medianWidth),
  } satisfies StackReport);
}

/**
 * What is known of a stack that was made elsewhere: the noise from its halves, where they came with it, taken as of equal weight; nothing of
 * its subs. `combined`: how many they were, where its header says it; `exposureS`: all of their time.
 */
export function broughtReport(
  name: string,
  combined: number | null,
  exposureS: number | null,
  facts: { channels: number; halvesSigma: readonly number[] | null; fwhmPx: number | null },
): StackReport {
  return {
    referenceName: name,
    subsUsed: combined ?? 1,
    integrationS: exposureS ?? 0,
    rejectedFraction: 0,
    rejection: null,
    subs: [],
    noise: Array.from({ length: facts.channels }, (_, c) => ({
      fromHalves: facts.halvesSigma ? known(facts.halvesSigma[c]) : null,
      expected: null,
      expectedGain: null,
      measuredGain: null,
    })),
    fwhmPx: facts.fwhmPx,
    medianSubFwhmPx: null,
    seconds: 0,
    peakBytes: 0,
    stages: [],
    dither: null,
    cautions: [],
    pixelsOf: null,
    blocks: null,
    cores: null,
    resampling: null,
  };
}

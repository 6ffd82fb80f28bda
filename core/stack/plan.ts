import type { ListedStar, PlaneFit, SubMeasures } from "../measure";
import { z } from "zod";
import { medianInPlace } from "../raster";
import type { Transform } from "../register";
import { IDENTITY, invertTransform, matchStars } from "../register";
import { photometricScale } from "./photometry";
import type { StackSettings } from "./settings";

/** What planning needs to know of a sub. */
export interface SubFacts {
  id: string;
  name: string;
  width: number;
  height: number;
  channels: number;
  exposureS: number | null;
  measures: SubMeasures;
  stars: ListedStar[];
}

/** A sub that goes into the stack: value' = scale · value + offset(x, y), per channel, in reference coordinates. */
export interface PlannedSub {
  id: string;
  name: string;
  toReference: Transform;
  residualPx: number;
  pairs: number;
  scale: number;
  /** Per channel: offset(x, y) = level + dx · x + dy · y. */
  offset: PlaneFit[];
  /** Per channel. */
  weight: number[];
  half: "A" | "B";
}

export interface LeftOutSub {
  id: string;
  name: string;
  reason: string;
}

export interface StackPlan {
  referenceId: string;
  width: number;
  height: number;
  channels: number;
  used: PlannedSub[];
  leftOut: LeftOutSub[];
}

/**
 * The sub to which the others are matched: the most signal in the sharpest stars over the noise, 1 / (FWHM · noise), where
 * noise is relative to transmission as told by the number of stars. Subs without a FWHM come last.
 */
export function chooseReference(subs: SubFacts[]): SubFacts | null {
  const score = ({ measures }: SubFacts) =>
    measures.fwhmPx === null ? 0 : Math.sqrt(measures.stars) / (measures.fwhmPx * (mean(measures.noise) || Infinity));
  return subs.reduce<SubFacts | null>((best, sub) => (best === null || score(sub) > score(best) ? sub : best), null);
}

function mean(values: number[]): number {
  return values.reduce((a, b) => a + b, 0) / values.length;
}

/**
 * Decides what goes into a stack and how: reference, transforms, photometric scale (median flux ratio of matched stars of
 * SNR > 12 that are not saturated), background offset (the planes through both backgrounds made equal), weights
 * 1 / (scale · σ)², and halves by alternating accepted subs. A sub that cannot be used is left out with its reason; nothing
 * is thrown for it. Throws RangeError when `subs` is empty.
 * Source for the weights: Zackay & Ofek 2017, ApJ 836, 187 (inverse variance after photometric scaling).
 */
export function planStack(subs: SubFacts[], settings: StackSettings): StackPlan {
  if (subs.length === 0) throw new RangeError("a stack needs at least one sub, received none");
  const leftOut: LeftOutSub[] = [];
  const leave = (sub: SubFacts, reason: string) => leftOut.push({ id: sub.id, name: sub.name, reason });
  const widths = subs.flatMap(({ measures }) => (measures.fwhmPx === null ? [] : [measures.fwhmPx]));
  const medianFwhm = widths.length > 0 ? medianInPlace(Float64Array.from(widths)) : NaN;
  const tooWide = ({ measures, id }: SubFacts) =>
    settings.fwhmLimit > 0 &&
    id !== settings.referenceId &&
    measures.fwhmPx !== null &&
    measures.fwhmPx > settings.fwhmLimit * medianFwhm;
  const sharp = subs.filter((sub) => !tooWide(sub));
  const asked = subs.find(({ id }) => id === settings.referenceId);
  const reference = asked ?? (chooseReference(sharp) as SubFacts);
  const used: PlannedSub[] = [];
  for (const sub of subs) {
    if (tooWide(sub)) {
      const limit = (settings.fwhmLimit * medianFwhm).toFixed(2);
      leave(sub, `FWHM ${sub.measures.fwhmPx?.toFixed(2)} px is above the limit of ${limit} px`);
      continue;
    }
    if (sub.channels !== reference.channels) {
      leave(sub, `has ${sub.channels} channels, the reference has ${reference.channels}`);
      continue;
    }
    const relation = relateSub(sub, reference, settings.transform);
    if (!relation.ok) {
      leave(sub, `could not be matched to the reference: ${relation.detail}`);
      continue;
    }
    const { toReference, residualPx, pairs, scale, offset } = relation.value;
    used.push({
      ...{ id: sub.id, name: sub.name, toReference, residualPx, pairs, scale, offset },
      weight: sub.measures.noise.map((sigma) => (settings.weights === "equal" ? 1 : subWeight(scale, sigma))),
      half: used.length % 2 === 0 ? "A" : "B",
    });
  }
  const { width, height, channels } = reference;
  return { referenceId: reference.id, width, height, channels, used, leftOut };
}

/** How a sub relates to a reference: where it lies and how bright it is. */
export const subRelation = z.object({
  toReference: z.tuple([z.number(), z.number(), z.number(), z.number(), z.number(), z.number()]),
  residualPx: z.number(),
  pairs: z.number().int(),
  /** value' = scale · value + offset(x, y) has the reference's starlight and sky. */
  scale: z.number(),
  offset: z.array(z.object({ level: z.number(), dx: z.number(), dy: z.number() })),
});
export type SubRelation = z.infer<typeof subRelation>;

type Relatable = Pick<SubFacts, "id" | "measures" | "stars">;

/** Matches a sub to a reference by their stars; the detail says why where that fails. The reference itself is at rest. */
export function relateSub(
  sub: Relatable,
  reference: Relatable,
  transform: StackSettings["transform"] = "similarity",
): { ok: true; value: SubRelation } | { ok: false; detail: string } {
  const self = sub.id === reference.id;
  const match = self ? null : matchStars(sub.stars, reference.stars, { model: transform });
  if (match && !match.ok) return { ok: false, detail: match.detail };
  const toReference = match ? match.value.transform : IDENTITY;
  const scale = match ? photometricScale(sub.stars, reference.stars, match.value.pairs) : 1;
  return {
    ok: true,
    value: {
      toReference,
      residualPx: match?.value.residualPx ?? 0,
      pairs: match?.value.pairs.length ?? 0,
      scale,
      offset: sub.measures.gradient.map((own, c) =>
        offsetPlane(own, reference.measures.gradient[c], toReference, scale),
      ),
    },
  };
}

/** Inverse variance after photometric scaling; 1 where there is no noise. Source: Zackay & Ofek 2017, ApJ 836, 187. */
export function subWeight(scale: number, sigma: number): number {
  return sigma > 0 ? 1 / (scale * sigma) ** 2 : 1;
}

/** reference(x, y) − scale · own(T⁻¹(x, y)), both planes, as a plane in reference coordinates. */
function offsetPlane(own: PlaneFit, reference: PlaneFit, toReference: Transform, scale: number): PlaneFit {
  const [a, b, c, d, e, f] = invertTransform(toReference);
  return {
    level: reference.level - scale * (own.level + own.dx * c + own.dy * f),
    dx: reference.dx - scale * (own.dx * a + own.dy * d),
    dy: reference.dy - scale * (own.dx * b + own.dy * e),
  };
}

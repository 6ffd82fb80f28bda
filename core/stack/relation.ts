import * as z from "zod";
import type { ListedStar, PlaneFit, SubMeasures } from "../measure";
import type { Matrix, Registration, RegistrationFailure } from "../register";
import { IDENTITY, inverse, mapPoint, matchStars, matrixAt, warpSchema } from "../register";
import type { Refusal, Result } from "../result";
import { done, refused } from "../result";
import { photometricScale } from "./photometry";
import type { StackSettings } from "./settings";

/** A star of the reference, and by how much the sub's own star misses it, in px. */
export const residualVector = z.tuple([z.number(), z.number(), z.number(), z.number()]);
export type ResidualVector = z.infer<typeof residualVector>;

const MOST_VECTORS = 60;

/** How a sub relates to a reference: where it lies and how bright it is. */
export const subRelation = z.object({
  toReference: warpSchema,
  residualPx: z.number(),
  pairs: z.number().int(),
  /** value' = scale · value + offset(x, y) has the reference's starlight and sky. */
  scale: z.number(),
  offset: z.array(z.object({ level: z.number(), dx: z.number(), dy: z.number() })),
  /** Of up to 60 pairs: where the star lies in the reference, and how far beside it the sub's came to lie. */
  vectors: z.array(residualVector).optional(),
});
export type SubRelation = z.infer<typeof subRelation>;

/** What grading found of a sub against a reference; a null value: the two have nothing in common. */
export const gradedRelation = z.object({
  to: z.string(),
  value: subRelation.nullable(),
  /** The transform that was asked for; null where the two were matched without stars, or before that was kept. */
  transform: z.string().nullable().default(null),
});
export type GradedRelation = z.infer<typeof gradedRelation>;

/** The transform that grading asks for: that of a stack by default. */
export const GRADED_BY: StackSettings["transform"] = "auto";

/** What grading found, where the stack asks for the same. */
export function knownRelation(
  { graded }: { graded?: GradedRelation | null },
  reference: Pick<Relatable, "id">,
  { transform }: StackSettings,
): Result<SubRelation, never> | null {
  const isSame = graded?.to === reference.id && graded.transform === transform;
  return isSame && graded.value ? done(graded.value) : null;
}

/** What relating needs to know of a sub. */
export interface Relatable {
  id: string;
  measures: SubMeasures;
  stars: ListedStar[];
}

/** Matches a sub to a reference by their stars; the detail says why where that fails. The reference itself is at rest. */
export function relateSub(
  sub: Relatable,
  reference: Relatable,
  transform: StackSettings["transform"] = "similarity",
  withVectors = false,
): Result<SubRelation, Refusal<RegistrationFailure | "other-channels">> {
  const [own, wanted] = [sub, reference].map(({ measures }) => measures.background.length);
  if (own !== wanted) return refused("other-channels", `it has ${own} channels, the reference has ${wanted}`);
  const self = sub.id === reference.id;
  const match = self ? null : matchStars(sub.stars, reference.stars, { model: transform });
  if (match && !match.ok) return match;
  const toReference = match ? match.value.warp : IDENTITY;
  const back = matrixAt(inverse(toReference), ...middleOf(reference.stars));
  const scale = match ? photometricScale(sub.stars, reference.stars, match.value.pairs) : 1;
  return {
    ok: true,
    value: {
      toReference,
      residualPx: match?.value.residualPx ?? 0,
      pairs: match?.value.pairs.length ?? 0,
      scale,
      offset: sub.measures.gradient.map((own, c) => offsetPlane(own, reference.measures.gradient[c], back, scale)),
      ...(withVectors && match ? { vectors: vectorsOf(sub.stars, reference.stars, match.value) } : {}),
    },
  };
}

/** Residuals of the brightest pairs. */
function vectorsOf(
  sub: readonly ListedStar[],
  reference: readonly ListedStar[],
  { warp, pairs }: Pick<Registration, "warp" | "pairs">,
): ResidualVector[] {
  const to = (v: number) => Number(v.toFixed(4));
  return pairs.slice(0, MOST_VECTORS).map(([i, j]) => {
    const [x, y] = mapPoint(warp, sub[i].x, sub[i].y);
    return [to(reference[j].x), to(reference[j].y), to(x - reference[j].x), to(y - reference[j].y)];
  });
}

/** The middle of where stars lie, at which a warp that is not linear is taken as one for the sky's gradient. */
export function middleOf(stars: ListedStar[]): [number, number] {
  const mean = (value: (star: ListedStar) => number) =>
    stars.reduce((sum, star) => sum + value(star), 0) / stars.length;
  return stars.length === 0 ? [0, 0] : [mean(({ x }) => x), mean(({ y }) => y)];
}

/** reference(x, y) − scale · own(back(x, y)), both planes, as a plane in reference coordinates. */
export function offsetPlane(own: PlaneFit, reference: PlaneFit, back: Matrix, scale: number): PlaneFit {
  const [a, b, c, d, e, f] = back;
  return {
    level: reference.level - scale * (own.level + own.dx * c + own.dy * f),
    dx: reference.dx - scale * (own.dx * a + own.dy * d),
    dy: reference.dy - scale * (own.dx * b + own.dy * e),
  };
}

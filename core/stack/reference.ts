import type { SubMeasures } from "../measure";
import { skyGradient } from "../measure";
import { medianInPlace } from "../raster";

/** What choosing a reference looks at. */
export interface ReferenceCandidate {
  id: string;
  width: number;
  height: number;
  measures: SubMeasures;
  /** To any one of the others; null where it is not known. */
  relation: { scale: number } | null;
}

/** Share of the median number of stars that a reference must have. */
const LEAST_STARS = 0.4;

/**
 * How well each sub serves as the one to which the others are matched: clear and sharp, round, under an even sky,
 *   1/(s σ) · 1/FWHM · minor/major axis · 1/(1 + ½ g/ḡ),
 * s being its photometric scale (1 where it is not known), σ its noise, g the span of its sky gradient in the reference's starlight and ḡ the
 * median of those. A gradient counts by its height, not by its share of a level that may be zero, and little: normalisation takes it off.
 * Subs whose black is cut off are passed over where there are others. Double images, subs without a FWHM, and those with less than 40 % of the median number of stars (defocused ones, whose width may be that
 * of cosmic-ray hits) cannot be references and get no score. The one formula for grading, flipping and
 * stacking. Source: own choice; each factor is a measure of docs/methods/measuring.md.
 */
export function referenceScores(candidates: readonly ReferenceCandidate[]): Map<string, number> {
  const able = candidates.filter(({ measures }) => measures.fwhmPx !== null && measures.double === null);
  // With black cut off the noise is not known, and chance peaks pass for stars.
  const whole = able.filter(({ measures }) => measures.blackShare === 0);
  const single = whole.length > 0 ? whole : able;
  const typicalStars = single.length > 0 ? medianInPlace(Float64Array.from(single, (one) => one.measures.stars)) : 0;
  const usable = single.filter(({ measures }) => measures.stars >= LEAST_STARS * typicalStars);
  const scaleOf = ({ relation }: ReferenceCandidate): number => relation?.scale ?? 1;
  const spanOf = (one: ReferenceCandidate): number =>
    scaleOf(one) * skyGradient(one.measures, one.width, one.height).span;
  const typicalSpan = usable.length > 0 ? medianInPlace(Float64Array.from(usable, spanOf)) : 0;
  const noises = usable.map((one) => meanOf(one.measures.noise) * scaleOf(one)).filter((v) => v > 0);
  const typicalNoise = noises.length > 0 ? medianInPlace(Float64Array.from(noises)) : 1;
  return new Map(
    usable.map((one) => {
      const { fwhmPx, eccentricity, noise } = one.measures;
      const sigma = meanOf(noise) * scaleOf(one) || typicalNoise;
      const evenness = typicalSpan > 0 ? 1 / (1 + (0.5 * spanOf(one)) / typicalSpan) : 1;
      return [one.id, (axisRatio(eccentricity) * evenness) / (sigma * (fwhmPx ?? Infinity))];
    }),
  );
}

/** The candidate with the highest score; the first of equals. Null where none has one. */
export function bestReference<T extends ReferenceCandidate>(candidates: readonly T[]): T | null {
  const scores = referenceScores(candidates);
  return candidates.reduce<T | null>((best, one) => {
    const score = scores.get(one.id);
    return score !== undefined && (best === null || score > (scores.get(best.id) ?? 0)) ? one : best;
  }, null);
}

/** Minor over major axis of an ellipse; 1 where its eccentricity is not known. */
export const axisRatio = (eccentricity: number | null): number =>
  eccentricity === null ? 1 : Math.sqrt(Math.max(0, 1 - eccentricity ** 2));

const meanOf = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0) / Math.max(1, values.length);

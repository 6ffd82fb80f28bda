import type { GradedFrame } from "./measures";
import { measureOf } from "./measures";
import { formatMeasure } from "./rules";

export interface ReferenceProposal {
  id: string;
  /** Why this one, a line for each of weight, star shape and gradient. */
  reasons: string[];
}

const CRITERIA = ["weight", "fwhm", "eccentricity", "gradient"] as const;

/**
 * The frame to match the others to: the largest product of weight (as a share of the best), sharpness (best FWHM over its own),
 * roundness (minor over major axis) and smoothness of the sky, 1 / (1 + gradient / median gradient). Frames without a FWHM
 * are not proposed; a measure that is not known counts as its median would. Frames of a video: the sharpest. Null for no frame.
 * Source: own choice; each factor is a measure of methods.md.
 */
export function proposeReference(frames: GradedFrame[]): ReferenceProposal | null {
  const discs = frames.filter(({ video }) => video !== null && video.x !== null);
  if (discs.length > 0) return proposeDisc(discs);
  const usable = frames.filter(({ measures }) => measures.fwhmPx !== null);
  if (usable.length === 0) return null;
  const values = (id: (typeof CRITERIA)[number]) => usable.flatMap((frame) => measureOf(id).value(frame) ?? []);
  const middle = (list: number[]) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)];
  const gradients = values("gradient").map(Math.abs);
  const typicalGradient = middle(gradients) || 1;
  const typicalWeight = middle(values("weight")) ?? 100;
  const sharpest = Math.min(...values("fwhm"));
  const score = (frame: GradedFrame): number => {
    const { fwhmPx, eccentricity } = frame.measures;
    const weight = measureOf("weight").value(frame) ?? typicalWeight;
    const gradient = Math.abs(measureOf("gradient").value(frame) ?? typicalGradient);
    const roundness = Math.sqrt(Math.max(0, 1 - (eccentricity ?? 0.4) ** 2));
    return ((weight * sharpest) / (fwhmPx ?? Infinity)) * roundness * (1 / (1 + gradient / typicalGradient));
  };
  const best = usable.reduce((a, b) => (score(b) > score(a) ? b : a));
  const reasons = CRITERIA.flatMap((id) => {
    const read = measureOf(id);
    const own = read.value(best);
    if (own === null) return [];
    const rank =
      1 +
      usable.filter((frame) => {
        const other = read.value(frame);
        return other !== null && (read.better === "low" ? other < own : other > own);
      }).length;
    return [`${read.label} ${formatMeasure(read, own)}, ${ordinal(rank)} of ${usable.length}`];
  });
  return { id: best.id, reasons };
}

function proposeDisc(frames: GradedFrame[]): ReferenceProposal {
  const sharpness = measureOf("sharpness");
  const value = (frame: GradedFrame) => sharpness.value(frame) ?? 0;
  const best = frames.reduce((a, b) => (value(b) > value(a) ? b : a));
  return {
    id: best.id,
    reasons: [`${sharpness.label} ${formatMeasure(sharpness, value(best))}, the highest of ${frames.length}`],
  };
}

function ordinal(n: number): string {
  const last = n % 10;
  const teen = Math.floor((n % 100) / 10) === 1;
  return `${n}${!teen && last === 1 ? "st" : !teen && last === 2 ? "nd" : !teen && last === 3 ? "rd" : "th"}`;
}

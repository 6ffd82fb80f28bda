import { bestReference } from "../stack";
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
 * The frame to match the others to, by the formula of stack/reference.ts, with the ranks that speak for it. Frames of a video: the
 * sharpest. Null where no frame can be one.
 */
export function proposeReference(frames: GradedFrame[]): ReferenceProposal | null {
  const discs = frames.filter(({ video }) => video !== null);
  if (discs.length > 0) return proposeSharpest(discs);
  const best = bestReference(frames);
  if (!best) return null;
  const usable = frames.filter(({ measures }) => measures.fwhmPx !== null);
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

function proposeSharpest(frames: GradedFrame[]): ReferenceProposal {
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

import type { SubMeasures } from "../measure";
import type { SubRelation } from "../stack";
import { subWeight } from "../stack";
import type { GradedFrame } from "./measures";

/** Weight of each frame over the best one's, by its mean noise and its stars; frames without a relation are left out. */
export function relativeWeights(
  frames: readonly { id: string; measures: SubMeasures; relation: SubRelation | null }[],
): Map<string, number> {
  const weights = frames.flatMap(({ id, measures, relation }): [string, number][] => {
    if (!relation) return [];
    const noise = measures.noise.reduce((sum, sigma) => sum + sigma, 0) / measures.noise.length;
    const weight = subWeight(relation.scale, noise, measures);
    return weight > 0 ? [[id, weight]] : [];
  });
  const best = weights.reduce((most, [, weight]) => Math.max(most, weight), 0);
  return new Map(weights.map(([id, weight]) => [id, weight / best]));
}

/** A frame with all that is known of it alone. */
export type LoneFrame = Omit<GradedFrame, "weight" | "fullLight">;

/**
 * Frames that are weighed against each other, as rules, charts and tables see them. What a frame of a video adds hangs on its sharpness,
 * not on its noise: it has no weight. `fullLight` is of all frames (fullLightOf).
 */
export function gradeFrames(frames: readonly LoneFrame[], fullLight: ReadonlyMap<string, number>): GradedFrame[] {
  const weights = relativeWeights(
    frames.map(({ id, measures, relation, video }) => ({ id, measures, relation: video ? null : relation })),
  );
  return frames.map((frame) => ({
    ...frame,
    weight: weights.get(frame.id) ?? null,
    fullLight: fullLight.get(frame.id) ?? 1,
  }));
}

import type { SubMeasures } from "@/core/measure";
import type { SubRelation } from "@/core/stack";
import { subWeight } from "@/core/stack";

/** Weight of each frame over the best one's, by its mean noise and its stars; frames without a relation are left out. */
export function relativeWeights(
  frames: { id: string; measures: SubMeasures; relation: SubRelation | null }[],
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

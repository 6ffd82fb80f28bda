import type { ListedStar, SubMeasures, VideoMeasures } from "@/core/measure";
import type { GradedRelation, SubRelation } from "@/core/stack";
import { GRADED_BY, relateDiscs } from "@/core/stack";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";

/** What relating needs to know of a light. */
export interface RelatableLight {
  id: string;
  measures: SubMeasures;
  stars: ListedStar[];
  video: VideoMeasures | null;
  relation: GradedRelation | null;
}

/** The lights of a project or of a command, and who is their reference as they now are. */
export interface LightsToRelate {
  lights(): readonly RelatableLight[];
  /** The id of the reference that counts: asked for, or the best by what is known now. */
  referenceId(): string | null;
  /** Keeps relations that were found. */
  keep(found: ReadonlyMap<string, GradedRelation>): void;
}

/** Lights that are related at a time. */
const BATCH = 24;

/**
 * Relates all lights to their reference: stills by their stars, frames of a video by their disc. Weights need relations and the reference
 * needs weights: a second round may find another reference, a third does not.
 */
export async function relateLights(
  pool: WorkerPool,
  book: LightsToRelate,
  { signal, onProgress }: { signal?: AbortSignal; onProgress: (done: number, of: number) => void },
): Promise<void> {
  for (let round = 0; round < 3; round++) {
    const id = book.referenceId();
    const reference = book.lights().find((light) => light.id === id);
    if (!reference) return;
    const apart = book.lights().filter(({ relation }) => relation?.to !== reference.id);
    if (apart.length === 0) return;
    const byStars = reference.video ? [] : apart.filter(({ video }) => video === null);
    const byDisc = apart.filter((light) => !byStars.includes(light));
    if (byDisc.length > 0)
      book.keep(
        new Map(
          byDisc.map((light) => [
            light.id,
            { to: reference.id, value: byTheirDiscs(light, reference), transform: null },
          ]),
        ),
      );
    for (let at = 0; at < byStars.length; at += BATCH) {
      onProgress(at, byStars.length);
      const batch = byStars.slice(at, at + BATCH);
      const values = await Promise.all(
        batch.map((light) =>
          pool.run(
            "relate",
            { sub: starsOf(light), reference: starsOf(reference) },
            { priority: PRIORITY.measure, signal },
          ),
        ),
      );
      // What was measured anew meanwhile is related by its new stars, later.
      const stars = new Map(book.lights().map((light) => [light.id, light.stars]));
      if (stars.get(reference.id) !== reference.stars) continue;
      const found = batch.map(
        (light, i) => [light, { to: reference.id, value: values[i], transform: GRADED_BY }] as const,
      );
      book.keep(
        new Map(
          found.flatMap(([light, relation]) => (stars.get(light.id) === light.stars ? [[light.id, relation]] : [])),
        ),
      );
    }
  }
}

const starsOf = ({ id, measures, stars }: RelatableLight) => ({ id, measures, stars });

/** A frame of a video against another; a video and stills have nothing in common. */
function byTheirDiscs(light: RelatableLight, reference: RelatableLight): SubRelation | null {
  const [own, other] = [light.video, reference.video];
  if (!own || !other) return null;
  return relateDiscs({ measures: light.measures, video: own }, { measures: reference.measures, video: other });
}

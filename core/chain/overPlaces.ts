import type { JobHandle } from "../job";
import type { Region } from "../raster";
import { tilesOf } from "../raster";
import { sampleRegions } from "./measure";

/** Places and px of each that are looked at. */
const [PLACES, SIDE] = [2, 192];

/** A few pieces of the picture, spread evenly. */
export function placesOf(size: { width: number; height: number }): Region[] {
  const all = sampleRegions(size).flatMap((region) => tilesOf(region, SIDE).slice(0, 1));
  const stride = Math.max(1, all.length / PLACES);
  return Array.from({ length: Math.min(PLACES, all.length) }, (_, k) => all[Math.floor((k + 0.5) * stride)]);
}

/**
 * Looks at a step with each of `count` settings at each of a few places of a picture: `prepare` gives what is asked of
 * one place for the k-th setting. Whether every place could be looked at: null from `prepare` ends it.
 */
export async function overPlaces(
  places: readonly Region[],
  count: number,
  job: JobHandle,
  prepare: (place: Region) => Promise<((k: number) => Promise<void>) | null>,
): Promise<boolean> {
  for (const [n, place] of places.entries()) {
    const look = await prepare(place);
    if (!look) return false;
    for (let k = 0; k < count; k++) {
      await job.breathe();
      await look(k);
      job.progress((n + (k + 1) / count) / places.length);
    }
  }
  return true;
}

import type { Raster } from "../raster";

/** So many results of a picture are kept, the newest. */
const KEPT = 4;

const known = new WeakMap<Raster, Map<string, unknown>>();

/**
 * What was worked out of a picture, kept for as long as the picture itself is: asked again of the same object by the same `key` it is there at once, so that a setting that only the end of a step asks for costs that end.
 * `make` must depend on nothing but the picture and what the key says.
 */
export async function memoize<T>(picture: Raster, key: string, make: () => T | Promise<T>): Promise<T> {
  const results = known.get(picture) ?? new Map<string, unknown>();
  known.set(picture, results);
  const result = results.has(key) ? (results.get(key) as T) : await make();
  results.delete(key);
  results.set(key, result);
  for (const oldest of results.keys()) if (results.size > KEPT) results.delete(oldest);
  return result;
}

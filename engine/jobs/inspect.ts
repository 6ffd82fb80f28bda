import { tilesToInspect, type PictureFacts } from "@/core/compare";
import type { InspectPayload } from "../tasks/stack";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";

/** Looks a picture over: the tiles of a large one are shared among the workers, and told together. */
export async function inspectStack(
  pool: WorkerPool,
  payload: InspectPayload,
  signal?: AbortSignal,
): Promise<PictureFacts> {
  const options = { priority: PRIORITY.batch, signal };
  const all = tilesToInspect(await pool.run("readFile", { frame: payload.picture }, options));
  const each = Math.ceil(all.length / pool.batchSize);
  const shares = Array.from({ length: Math.ceil(all.length / each) }, (_, k) => all.slice(k * each, (k + 1) * each));
  const tiles = await Promise.all(
    shares.map((share) => pool.run("inspectShare", { ...payload, tiles: share }, options)),
  );
  return pool.run("inspectWhole", { picture: payload.picture, tiles: tiles.flat() }, options);
}

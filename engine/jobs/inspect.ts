import { tilesToInspect, type PictureFacts } from "@/core/compare";
import type { InspectPayload } from "../tasks/stack";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";

/** Looks a large picture over: its tiles are shared among the workers, and told together. */
export async function inspectStack(
  pool: WorkerPool,
  payload: InspectPayload,
  size: { width: number; height: number },
  signal?: AbortSignal,
): Promise<PictureFacts> {
  const options = { priority: PRIORITY.batch, signal };
  const all = tilesToInspect(size);
  const each = Math.ceil(all.length / pool.batchSize);
  const shares = Array.from({ length: Math.ceil(all.length / each) }, (_, k) => all.slice(k * each, (k + 1) * each));
  const tiles = await Promise.all(
    shares.map((share) => pool.run("inspectShare", { ...payload, tiles: share }, options)),
  );
  return pool.run("inspectWhole", { picture: payload.picture, tiles: tiles.flat() }, options);
}

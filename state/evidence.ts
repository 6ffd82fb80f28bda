import type { Evidence } from "@/core/compare";
import type { Region } from "@/core/raster";
import { byteCache } from "@/engine/cache";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import type { PictureFacts } from "@/core/compare";

/** Memory for evidence that was looked at. */
const CACHE_BYTES = 64 * 2 ** 20;
/** How steeply the wings of stars fall: that of most nights. */
const BETA = 3;

/** Evidence by what it is of, so that the table, the panel and the crops ask for it once. */
export class EvidenceBook {
  private readonly known = byteCache<Promise<Evidence | null>>(CACHE_BYTES, () => 2 ** 20);

  constructor(private readonly pool: WorkerPool) {}

  /** Evidence for a region of a treated stack; null without halves. */
  ask(treatment: Treatment, region: Region, { fwhmPx }: Pick<PictureFacts, "fwhmPx">): Promise<Evidence | null> {
    const key = evidenceKey(treatment, region);
    const known = this.known.get(key);
    if (known) return known;
    const shape = fwhmPx === null ? null : { fwhmPx, beta: BETA };
    const made = this.pool.run("evidence", { treatment, region, shape }, { priority: PRIORITY.measure });
    this.known.set(key, made);
    made.catch(() => this.known.delete(key)); // stopped or failed: the next one tries again
    return made;
  }
}

export const evidenceKey = ({ picture, steps, facts }: Treatment, { x, y, width, height }: Region): string =>
  JSON.stringify([picture.id, steps, facts, x, y, width, height]);

import type { Evidence, LaneMeasures, PictureFacts } from "@/core/compare";
import type { Region } from "@/core/raster";
import { byteCache } from "@/engine/cache";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";

/** Memory for evidence that was looked at, and what one is counted as. */
const [CACHE_BYTES, EVIDENCE_BYTES] = [64 * 2 ** 20, 2 ** 20];
/** How steeply the wings of stars fall: that of most nights. */
const BETA = 3;

/** What stars of a stack look like to the matched filter; null where there are none. */
export const shapeOf = ({ fwhmPx }: Pick<PictureFacts, "fwhmPx">) => (fwhmPx === null ? null : { fwhmPx, beta: BETA });

/** Evidence and measures by what they are of, so that table, panel, crops and sheet ask for each once. */
export class EvidenceBook {
  private readonly evidence = byteCache<Promise<Evidence | null>>(CACHE_BYTES, () => EVIDENCE_BYTES);
  private readonly measures = new Map<string, Promise<LaneMeasures>>();

  constructor(private readonly pool: WorkerPool) {}

  /** Evidence for a region of a treated stack; null without halves. */
  ask(treatment: Treatment, region: Region, facts: Pick<PictureFacts, "fwhmPx">): Promise<Evidence | null> {
    const key = evidenceKey(treatment, region);
    const known = this.evidence.get(key);
    if (known) return known;
    const payload = { treatment, region, shape: shapeOf(facts) };
    const made = this.pool.run("evidence", payload, { priority: PRIORITY.measure });
    this.evidence.set(key, made);
    made.catch(() => this.evidence.delete(key)); // stopped or failed: the next one tries again
    return made;
  }

  /** All measures of a region of a treated stack. */
  tell(treatment: Treatment, region: Region, facts: Pick<PictureFacts, "fwhmPx" | "skyLevel">): Promise<LaneMeasures> {
    const key = evidenceKey(treatment, region);
    const known = this.measures.get(key);
    if (known) return known;
    const payload = { treatment, region, shape: shapeOf(facts), skyLevel: facts.skyLevel };
    const made = this.pool.run("laneMeasures", payload, { priority: PRIORITY.measure });
    this.measures.set(key, made);
    made.catch(() => this.measures.delete(key));
    return made;
  }
}

export const evidenceKey = ({ picture, steps, facts }: Treatment, { x, y, width, height }: Region): string =>
  JSON.stringify([picture.id, steps, facts, x, y, width, height]);

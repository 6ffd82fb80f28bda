import type { Evidence, EvidenceSource, HeldOut, LaneMeasures, PictureFacts } from "@/core/compare";
import { starShapeOf } from "@/core/compare";
import type { Region } from "@/core/raster";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import { SharedWork } from "./sharedWork";

/** How many places are remembered: evidence of one has two maps (half a megabyte). */
const [EVIDENCE_KEPT, MEASURES_KEPT] = [64, 2000];
/** Evidence and measures by what they are of, so that table, panel, crops and sheet ask for each once; what nobody waits for any more is stopped. */
export class EvidenceBook {
  private readonly evidence = new SharedWork<Evidence | null>(EVIDENCE_KEPT);
  private readonly errors = new SharedWork<HeldOut | null>(MEASURES_KEPT);
  private readonly measures = new SharedWork<LaneMeasures>(MEASURES_KEPT);

  constructor(private readonly pool: WorkerPool) {}

  /** Evidence for a region of a treated stack; null without halves. */
  ask(
    treatment: Treatment,
    region: Region,
    facts: Pick<PictureFacts, "fwhmPx">,
    signal?: AbortSignal,
  ): Promise<Evidence | null> {
    const payload = { treatment, region, shape: starShapeOf(facts) };
    const work = async (stop: AbortSignal): Promise<Evidence | null> => {
      // It was asked for: before the figures of all crops.
      const options = { priority: PRIORITY.view, signal: stop };
      if (!treatment.halves) return null;
      // The same chain on five pictures: workers share them. The last, the whole, goes with what is told of it.
      const of = async (source: EvidenceSource) =>
        [source, await this.pool.run("evidenceSource", { treatment, region, source }, options)] as const;
      const treated = Object.fromEntries(await Promise.all((["a", "b", "plus", "minus"] as const).map(of)));
      return this.pool.run("evidence", { ...payload, treated }, options);
    };
    return this.evidence.ask(evidenceKey(treatment, region), work, signal);
  }

  /** All measures of a region of a treated stack. */
  tell(
    treatment: Treatment,
    region: Region,
    facts: Pick<PictureFacts, "fwhmPx" | "skyLevel">,
    signal?: AbortSignal,
  ): Promise<LaneMeasures> {
    const payload = { treatment, region, shape: starShapeOf(facts), skyLevel: facts.skyLevel };
    const work = (stop: AbortSignal) =>
      this.pool.run("laneMeasures", payload, { priority: PRIORITY.measure, signal: stop });
    return this.measures.ask(evidenceKey(treatment, region), work, signal);
  }

  /** Errors of steps `from` … `to` of a treatment in a region against what was held out of it; null where they cannot be told. */
  heldOut(
    treatment: Treatment,
    from: number,
    to: number,
    region: Region,
    signal?: AbortSignal,
  ): Promise<HeldOut | null> {
    const work = (stop: AbortSignal) =>
      this.pool.run("heldOut", { treatment, from, to, region }, { priority: PRIORITY.measure, signal: stop });
    return this.errors.ask(`${from} ${to} ${evidenceKey(treatment, region)}`, work, signal);
  }
}

export const evidenceKey = ({ picture, steps, facts }: Treatment, { x, y, width, height }: Region): string =>
  JSON.stringify([picture.id, steps, facts, x, y, width, height]);

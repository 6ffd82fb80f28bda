import type { Evidence, HeldOut, LaneMeasures, PictureFacts, Support } from "@/core/compare";
import { starShapeOf } from "@/core/compare";
import { Stopped } from "@/core/job";
import type { Region } from "@/core/raster";
import { evidenceOfPlace, supportOfPlace } from "@/engine/jobs/evidence";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import { SharedWork } from "./sharedWork";

/** How many places are remembered: evidence of one has two maps (half a megabyte). */
const [EVIDENCE_KEPT, MEASURES_KEPT] = [64, 2000];

/** Evidence and measures by what they are of, so that table, panel, crops and sheet ask for each once; what nobody waits for any more is stopped. */
export class EvidenceBook {
  private readonly evidence = new SharedWork<Evidence | null>(EVIDENCE_KEPT);
  private readonly support = new SharedWork<Support | null>(EVIDENCE_KEPT);
  private readonly errors = new SharedWork<HeldOut | null>(MEASURES_KEPT);
  private readonly measures = new SharedWork<LaneMeasures>(MEASURES_KEPT);

  /** First parts that were begun lately. */
  private firsts: Promise<unknown>[] = [];

  constructor(private readonly pool: WorkerPool) {}

  /**
   * Evidence for a region of a treated stack; null without halves. What can be measured first, of
   * `near` its middle, comes before the rest.
   */
  async ask(
    treatment: Treatment,
    region: Region,
    facts: Pick<PictureFacts, "fwhmPx">,
    { near, signal, onFirst }: { near?: Region; signal?: AbortSignal; onFirst?: (support: Support) => void } = {},
  ): Promise<Evidence | null> {
    if (!treatment.halves) return null;
    const shape = starShapeOf(facts);
    const key = evidenceKey(treatment, region);
    if (near && onFirst && !this.evidence.isDone(key)) {
      const at = { treatment, region: near };
      const work = (stop: AbortSignal) => this.inTurn(() => supportOfPlace(this.pool, at, shape, stop));
      const support = await this.support.ask(evidenceKey(treatment, near), work, signal);
      if (signal?.aborted) throw new Stopped();
      if (support) onFirst(support);
    }
    const work = (stop: AbortSignal) => evidenceOfPlace(this.pool, { treatment, region }, shape, stop);
    return this.evidence.ask(key, work, signal);
  }

  /** A first part takes two workers: as many at a time as find two, so that one is there before another is begun. */
  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const atATime = Math.max(1, Math.floor(this.pool.size / 2));
    const before = this.firsts.at(-atATime);
    const done = before ? before.then(work, work) : work();
    this.firsts = [...this.firsts, done].slice(-atATime);
    return done;
  }

  /** All measures of a region of a treated stack. */
  measuresOf(
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

  /** Errors of steps `from` … `to` of a treatment in a region against what was held out of it; null where they cannot be measured. */
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

import { Stopped } from "@/core/job";
import type { ReferenceProposal } from "@/core/choose";
import { proposeReference } from "@/core/choose";
import type { SkyPatch } from "@/core/measure";
import type { FrameRef } from "@/engine/frames";
import { relateLights } from "@/engine/jobs/grading";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import type { ProjectRecord, SubRecord } from "@/storage";
import { gradeLights, lightsOf } from "./lights";

/** What grading needs of the project. */
export interface GradingTarget {
  pool: WorkerPool;
  project(): ProjectRecord;
  subs(): readonly SubRecord[];
  /** Replaces subs by id and stores them. */
  replace(changed: SubRecord[]): void;
  lightFrame(sub: SubRecord): Promise<FrameRef>;
  propose(proposal: ReferenceProposal | null): void;
  /** Frames that are related to the reference, of how many; null when all are. */
  progress(done: number, of: number): void;
  /** Hears why it could not go on. */
  fail(error: unknown): void;
}

const WAIT_MS = 300;

/** The key of patches in a frame: they are measured again when they move or the reference changes. */
export const patchKey = (patches: readonly SkyPatch[], referenceId: string): string =>
  JSON.stringify([patches.map(({ x, y, side }) => [x, y, side]), referenceId]);

/**
 * Keeps relations of lights to the reference, the proposal of one, and the sky patches up to date, quietly in the workers,
 * some time after something changed.
 */
export class Grading {
  private timer: ReturnType<typeof setTimeout> | null = null;
  private running = false;
  private again = false;
  private abort = new AbortController();

  constructor(private readonly target: GradingTarget) {}

  /** Asks for everything to be brought up to date soon. */
  schedule(): void {
    if (this.running) {
      this.again = true;
      return;
    }
    if (this.timer) clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      this.run().catch((error: unknown) => this.target.fail(error));
    }, WAIT_MS);
  }

  stop(): void {
    if (this.timer) clearTimeout(this.timer);
    this.abort.abort();
  }

  private async run(): Promise<void> {
    this.running = true;
    this.timer = null;
    try {
      await this.relateAll();
      await this.measurePatches();
    } catch (error) {
      if (!(error instanceof Stopped)) throw error;
    } finally {
      this.running = false;
      this.target.progress(0, 0);
      if (this.again) {
        this.again = false;
        this.schedule();
      }
    }
  }

  /** The reference that counts: a person's, or the proposed one. */
  private reference(): SubRecord | null {
    const { target } = this;
    const lights = lightsOf(target.subs());
    const asked = lights.find(({ id }) => id === target.project().referenceId);
    const { frames, verdicts } = gradeLights(lights, target.project());
    const proposal = proposeReference([...frames.values()].filter(({ id }) => verdicts.get(id)?.included !== false));
    target.propose(proposal);
    return asked ?? lights.find(({ id }) => id === proposal?.id) ?? null;
  }

  private relateAll(): Promise<void> {
    const { target } = this;
    return relateLights(
      target.pool,
      {
        lights: () => lightsOf(target.subs()),
        referenceId: () => this.reference()?.id ?? null,
        keep: (found) =>
          target.replace(
            target.subs().flatMap((sub) => {
              const relation = found.get(sub.id);
              return relation ? [{ ...sub, relation }] : [];
            }),
          ),
      },
      { signal: this.abort.signal, onProgress: (done, of) => target.progress(done, of) },
    );
  }

  private async measurePatches(): Promise<void> {
    const { target } = this;
    const { patches } = target.project();
    const reference = this.reference();
    if (!reference || patches.length === 0) return;
    const key = patchKey(patches, reference.id);
    const missing = lightsOf(target.subs()).filter(
      (sub) => sub.patches?.key !== key && sub.relation?.to === reference.id,
    );
    for (const [k, sub] of missing.entries()) {
      if (this.again) return; // patches or subs moved on
      target.progress(k, missing.length);
      const relation = sub.relation?.value;
      const levels = relation
        ? await target.pool.run(
            "measurePatches",
            { frame: await target.lightFrame(sub), relation, size: reference.measuredSize, patches },
            { priority: PRIORITY.measure, signal: this.abort.signal },
          )
        : [];
      target.replace(
        target
          .subs()
          .flatMap((now) =>
            now.id === sub.id
              ? [{ ...now, patches: { key, levels: levels.map((level) => (Number.isFinite(level) ? level : null)) } }]
              : [],
          ),
      );
    }
  }
}

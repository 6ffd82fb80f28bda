import { Stopped } from "@/core/job";
import type { ReferenceProposal } from "@/core/choose";
import { proposeReference } from "@/core/choose";
import type { SkyPatch } from "@/core/measure";
import { relateDiscs } from "@/core/stack";
import type { FrameRef } from "@/engine/frames";
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
}

const BATCH = 24;
const WAIT_MS = 300;

/** The key of patches in a frame: they are measured again when they move or the reference changes. */
export const patchKey = (patches: readonly SkyPatch[], referenceId: string): string =>
  JSON.stringify([patches.map(({ x, y, side }) => [x, y, side]), referenceId]);

/** A frame of a video against another; a video and stills have nothing in common. */
function relatedByDisc(sub: SubRecord, reference: SubRecord): SubRecord {
  const [own, other] = [sub.video, reference.video];
  const value =
    own && other
      ? relateDiscs({ measures: sub.measures, video: own }, { measures: reference.measures, video: other })
      : null;
  return { ...sub, relation: { to: reference.id, value } };
}

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
    this.timer = setTimeout(() => void this.run(), WAIT_MS);
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

  private async relateAll(): Promise<void> {
    const { target } = this;
    // Weights need relations and the proposal needs weights: a second round may find another reference, a third does not.
    for (let round = 0; round < 3; round++) {
      const reference = this.reference();
      if (!reference) return;
      const facts = ({ id, measures, stars }: SubRecord) => ({ id, measures, stars });
      const apart = lightsOf(target.subs()).filter((sub) => sub.relation?.to !== reference.id);
      if (apart.length === 0) return;
      const missing = reference.video ? [] : apart.filter(({ video }) => video === null);
      target.replace(apart.filter((sub) => !missing.includes(sub)).map((sub) => relatedByDisc(sub, reference)));
      for (let at = 0; at < missing.length; at += BATCH) {
        target.progress(at, missing.length);
        const batch = missing.slice(at, at + BATCH);
        const relations = await Promise.all(
          batch.map((sub) =>
            target.pool.run(
              "relate",
              { sub: facts(sub), reference: facts(reference) },
              { priority: PRIORITY.measure, signal: this.abort.signal },
            ),
          ),
        );
        const found = new Map(batch.map(({ id }, i) => [id, { to: reference.id, value: relations[i] }]));
        target.replace(
          target.subs().flatMap((sub) => (found.has(sub.id) ? [{ ...sub, relation: found.get(sub.id) ?? null }] : [])),
        );
      }
    }
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

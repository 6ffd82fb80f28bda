import { createStore } from "zustand/vanilla";
import type { PictureFacts } from "@/core/compare";
import { starShapeOf } from "@/core/compare";
import type { WholeEvidence } from "@/engine/jobs/evidence";
import { wholeEvidence } from "@/engine/jobs/evidence";
import type { WorkerPool } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import type { Jobs } from "./jobs";

/** Evidence of a whole treated picture: on its way, or told; `found` is null without halves. */
export type WholeState = { share: number; stop: () => void } | { found: WholeEvidence | null };

/** Evidence for whole pictures by what it is of. It takes its time: what was begun goes on while other lanes and screens are looked at, and what was told stays. */
export class WholeEvidenceBook {
  readonly store = createStore<Record<string, WholeState>>(() => ({}));

  constructor(
    private readonly pool: WorkerPool,
    private readonly jobs: Jobs,
  ) {}

  /** Begins it, unless that was done. A failure stays on show with the jobs, and can be tried again. */
  async begin(
    treatment: Treatment,
    facts: Pick<PictureFacts, "fwhmPx" | "width" | "height">,
    name: string,
  ): Promise<void> {
    const key = wholeKey(treatment);
    if (this.store.getState()[key]) return;
    const told = await this.jobs.run("evidence", `Evidence for the whole picture of ${name}`, async (control) => {
      const { signal, stop } = control;
      const onProgress = (share: number) => {
        control.onProgress(share);
        this.store.setState({ [key]: { share, stop } });
      };
      onProgress(0);
      return { found: await wholeEvidence(this.pool, treatment, facts, starShapeOf(facts), { onProgress, signal }) };
    });
    const { [key]: _, ...others } = this.store.getState();
    this.store.setState(told ? { ...others, [key]: told } : others, true);
  }
}

export const wholeKey = ({ picture, steps, facts }: Treatment): string => JSON.stringify([picture.id, steps, facts]);

import type { ChainStep } from "@/core/chain";
import { findOperation } from "@/core/operations";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";

/** A picture with its halves, ready for treatment. */
export type Subject = Pick<Treatment, "picture" | "halves" | "fill" | "fullScale">;

/** Contexts as far as they are known. `settled` means that each belongs to exactly these settings. */
export interface KnownContexts {
  contexts: (unknown[] | null)[];
  complete: boolean;
  settled: boolean;
}

/**
 * The contexts of chains (noise, PSF, sky: whole-picture facts of each step), kept by what they depend on: the picture, all
 * settings of the steps before, and of the step itself only what its operation says. While a setting of an earlier step is
 * being changed, the last known context of a later step serves until `settle` has made the right one.
 */
export class ContextBook {
  private readonly known = new Map<string, unknown[]>();
  private readonly latest = new Map<string, unknown[]>();
  private readonly pending = new Map<string, Promise<unknown[]>>();

  constructor(
    private readonly pool: WorkerPool,
    private readonly keep: (key: string, contexts: unknown[]) => void,
  ) {}

  /** Takes over contexts that were stored. */
  restore(entries: { key: string; contexts: unknown[] }[]): void {
    for (const { key, contexts } of entries) this.known.set(key, contexts);
  }

  lookUp(subject: Subject, steps: ChainStep[]): KnownContexts {
    const result: KnownContexts = { contexts: [], complete: true, settled: true };
    steps.forEach((step, i) => {
      if (!step.on) return void result.contexts.push(null);
      const exact = this.known.get(exactKey(subject, steps, i));
      const contexts = exact ?? this.latest.get(looseKey(subject, steps, i)) ?? null;
      if (!exact) result.settled = false;
      if (!contexts) result.complete = false;
      result.contexts.push(contexts);
    });
    return result;
  }

  /** Makes what is missing, step by step; resolves with the exact contexts. */
  async settle(subject: Subject, steps: ChainStep[], signal?: AbortSignal): Promise<(unknown[] | null)[]> {
    const contexts: (unknown[] | null)[] = steps.map(() => null);
    for (const [i, step] of steps.entries()) {
      if (!step.on) continue;
      const key = exactKey(subject, steps, i);
      let made = this.known.get(key);
      if (!made) {
        const treatment = { ...subject, steps, contexts: [...contexts] };
        let running = this.pending.get(key);
        if (!running) {
          running = this.pool.run("prepare", { treatment, index: i }, { priority: PRIORITY.view, signal });
          this.pending.set(key, running);
          void running.catch(() => undefined).finally(() => this.pending.delete(key));
        }
        made = await running;
        this.known.set(key, made);
        this.keep(key, made);
      }
      this.latest.set(looseKey(subject, steps, i), made);
      contexts[i] = made;
    }
    return contexts;
  }
}

/** What a step's contexts depend on, as text. */
function exactKey({ picture }: Subject, steps: ChainStep[], index: number): string {
  const before = steps.slice(0, index).filter(({ on }) => on);
  const step = steps[index];
  const operation = findOperation(step.operation);
  const own = operation ? operation.contextDependsOn(operation.params.parse(step.params)) : null;
  return JSON.stringify([
    picture.id,
    before.map(({ operation: o, version, params, channels, blend }) => [o, version, params, channels, blend]),
    [step.operation, operation?.version, step.channels, own],
  ]);
}

/** The same without the settings of earlier steps. */
function looseKey({ picture }: Subject, steps: ChainStep[], index: number): string {
  const before = steps.slice(0, index).filter(({ on }) => on);
  return JSON.stringify([
    picture.id,
    before.map((s) => [s.operation, s.channels]),
    [steps[index].operation, steps[index].channels],
  ]);
}

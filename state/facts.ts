import type { ChainStep, FactKey } from "@/core/chain";
import { factsNeeded, prepareChain, UNTOUCHED } from "@/core/chain";
import { FACTS_VERSION } from "@/core/facts";
import { maskKey } from "@/core/mask";
import type { SkyPatch } from "@/core/measure";
import type { StepFactIds } from "@/engine/facts";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";

/** A picture with its halves, ready for treatment. */
export type Subject = Pick<Treatment, "picture" | "halves" | "fill" | "fullScale">;

/** Facts as far as they are known. `settled` means that each belongs to exactly these settings. */
export interface KnownFacts {
  facts: StepFactIds[];
  complete: boolean;
  settled: boolean;
}

/**
 * Whole-picture facts, kept by what they depend on: the picture, all settings of the steps before, and the channel mode; steps and lanes
 * that need the same share it. The values lie in the workers, here are their ids. While a setting of an earlier step is being
 * changed, the last known fact serves until `settle` has measured the right one.
 */
export class FactBook {
  private readonly known = new Map<string, string>();
  private readonly latest = new Map<string, string>();
  private readonly skies = new Map<string, Promise<SkyPatch[]>>();
  private readonly pending = new Map<string, Promise<unknown>>();

  constructor(
    private readonly pool: WorkerPool,
    private readonly save: (key: string, value: unknown[]) => void,
  ) {}

  /** Takes over facts that were stored. */
  restore(entries: { key: string; value: unknown[] }[]): void {
    for (const { key, value } of entries) this.known.set(key, this.pool.keep(value));
  }

  lookUp(subject: Subject, steps: readonly ChainStep[]): KnownFacts {
    const result: KnownFacts = { facts: [], complete: true, settled: true };
    steps.forEach((step, i) => {
      const ids: StepFactIds = {};
      for (const key of factsNeeded(step)) {
        const exact = this.known.get(exactKey(subject, steps, i, key));
        const id = exact ?? this.latest.get(looseKey(subject, steps, i, key));
        if (!exact) result.settled = false;
        if (id) ids[key] = id;
        else result.complete = false;
      }
      result.facts.push(ids);
    });
    return result;
  }

  /** Measures what is missing, step by step; resolves with the exact facts. */
  settle(subject: Subject, steps: ChainStep[]): Promise<StepFactIds[]> {
    return prepareChain(steps, {} as StepFactIds, async (index, keys, before) => {
      const exact = (key: FactKey) => exactKey(subject, steps, index, key);
      const missing = keys.filter((key) => !this.known.has(exact(key)) && !this.pending.has(exact(key)));
      if (missing.length > 0) {
        const treatment = { ...subject, steps, facts: before };
        const running = this.pool
          .run("measureFacts", { treatment, index, keys: missing }, { priority: PRIORITY.view })
          .then((found) => {
            for (const key of missing) this.keep(exact(key), found[key] ?? []);
          })
          .finally(() => missing.forEach((key) => this.pending.delete(exact(key))));
        for (const key of missing) this.pending.set(exact(key), running);
      }
      await Promise.all(keys.map((key) => this.pending.get(exact(key))));
      const ids: StepFactIds = {};
      for (const key of keys) {
        const id = this.known.get(exact(key)) as string;
        ids[key] = id;
        this.latest.set(looseKey(subject, steps, index, key), id);
      }
      return ids;
    });
  }

  /** Patches of sky that are found in the untouched picture, px of it; found once. */
  skyPatches(subject: Subject): Promise<SkyPatch[]> {
    const key = "skyPatches@untouched";
    const { id } = subject.picture;
    const found = this.skies.get(id) ?? this.findSky(subject, key);
    this.skies.set(id, found);
    found.catch(() => this.skies.delete(id)); // stopped or failed: the next one tries again
    return found;
  }

  private async findSky(subject: Subject, key: FactKey): Promise<SkyPatch[]> {
    const payload = { treatment: { ...subject, steps: [], facts: [] }, index: 0, keys: [key] };
    const found = await this.pool.run("measureFacts", payload, { priority: PRIORITY.measure });
    return found[key]?.[0] as SkyPatch[];
  }

  private keep(key: string, value: unknown[]): void {
    this.known.set(key, this.pool.keep(value));
    this.save(key, value);
  }
}

/** The steps after which the picture is looked at for a fact, and the key of the fact there. */
function lookedAt(steps: readonly ChainStep[], index: number, key: FactKey): [before: ChainStep[], key: string] {
  const isUntouched = key.endsWith(`@${UNTOUCHED}`);
  const before = isUntouched ? [] : steps.slice(0, index).filter(({ on }) => on);
  return [before, key.replace(`@${UNTOUCHED}`, "@together")];
}

/** What a fact depends on, as text. */
function exactKey({ picture }: Subject, steps: readonly ChainStep[], index: number, key: FactKey): string {
  const [before, known] = lookedAt(steps, index, key);
  const settings = before.map(({ operation, version, params, channels, blend, mask, sky, dropped }) =>
    // Facts of chains without masks and patches keep the keys under which they were stored before there were any.
    [
      operation,
      version,
      params,
      channels,
      blend,
      ...(mask ? [maskKey(mask)] : []),
      ...(sky?.tellNoise ? [sky.patches] : []),
      ...(dropped.length > 0 ? [dropped] : []),
    ],
  );
  return JSON.stringify([picture.id, settings, known, FACTS_VERSION]);
}

/** The same without the settings of earlier steps, and wherever patches lie. */
function looseKey({ picture }: Subject, steps: readonly ChainStep[], index: number, key: FactKey): string {
  const [before, known] = lookedAt(steps, index, key);
  return JSON.stringify([picture.id, before.map((s) => [s.operation, s.channels]), known.split("#")[0]]);
}

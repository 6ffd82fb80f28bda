import { LRUCache } from "lru-cache";
import type { ChainStep, FactKey } from "@/core/chain";
import { factsNeeded, hashesOf, prepareChain, UNTOUCHED } from "@/core/chain";
import { FACTS_VERSION } from "@/core/facts";
import { findOperation } from "@/core/operations";
import { directValues, followedBy } from "@/core/parameters";
import { maskKey } from "@/core/mask";
import type { SkyPatch } from "@/core/measure";
import type { StepFactIds } from "@/engine/facts";
import type { WorkerPool } from "@/engine/pool";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import type { FactsPayload } from "@/engine/tasks/facts";
import { SharedWork } from "./sharedWork";

/** A picture with its halves, ready for treatment. */
export type Subject = Pick<Treatment, "picture" | "halves" | "fill" | "fullScale">;

/** Facts as far as they are known. `settled` means that each belongs to exactly these settings. */
export interface KnownFacts {
  facts: StepFactIds[];
  complete: boolean;
  settled: boolean;
}

/** A fact as it is stored. */
export interface StoredFact {
  key: string;
  value: unknown[];
}

/** How many keys of facts are remembered; their values take what the pool allows. */
const KEYS_KEPT = 4000;

/**
 * Whole-picture facts, kept by what they depend on: the picture, all settings of the steps before, and the channel mode; steps and lanes
 * that need the same share it. The values lie with the pool, here are their ids. While a setting of an earlier step is being
 * changed, the last known fact serves until `settle` has measured the right one.
 */
export class FactBook {
  private readonly known = new LRUCache<string, string>({ max: KEYS_KEPT });
  private readonly latest = new LRUCache<string, string>({ max: KEYS_KEPT });
  private readonly skies = new Map<string, Promise<SkyPatch[]>>();
  private readonly measuring = new SharedWork<void>(0);
  /** By fact the work that measures it, which may measure others too. */
  private readonly pending = new Map<string, { work: string; run: (signal: AbortSignal) => Promise<void> }>();
  /** Facts that came from storage and were not used since. */
  private readonly unused = new Set<string>();

  /** `save` stores a fact as used now; `onMeasured` hears that one became known. */
  constructor(
    private readonly pool: WorkerPool,
    private readonly save: (fact: StoredFact) => void,
    private readonly onMeasured: () => void = () => undefined,
  ) {}

  /** Takes over facts that were stored. */
  restore(facts: readonly StoredFact[]): void {
    for (const { key, value } of facts) {
      this.known.set(key, this.pool.keep(value));
      this.unused.add(key);
    }
  }

  /** The id of a fact that is known and whose value is still kept. */
  private idOf(exact: string): string | undefined {
    const id = this.known.get(exact);
    return this.isKept(id) ? id : undefined;
  }

  private isKept(id: string | undefined): id is string {
    return id !== undefined && this.pool.valueOf(id) !== undefined;
  }

  lookUp(subject: Subject, steps: readonly ChainStep[]): KnownFacts {
    const result: KnownFacts = { facts: [], complete: true, settled: true };
    steps.forEach((step, i) => {
      const ids: StepFactIds = {};
      for (const key of factsNeeded(step)) {
        const exact = this.idOf(exactKey(subject, steps, i, key));
        const id = exact ?? this.latest.get(looseKey(subject, steps, i, key));
        if (exact) this.noteUse(exactKey(subject, steps, i, key));
        else result.settled = false;
        if (this.isKept(id)) ids[key] = id;
        else result.complete = false;
      }
      result.facts.push(ids);
    });
    return result;
  }

  /** Measures what is missing, step by step; resolves with the exact facts. What nobody waits for any more is not measured to its end. */
  settle(subject: Subject, steps: ChainStep[], signal?: AbortSignal): Promise<StepFactIds[]> {
    return prepareChain(steps, {} as StepFactIds, async (index, keys, before) => {
      const exact = (key: FactKey) => exactKey(subject, steps, index, key);
      const missing = keys.filter((key) => this.idOf(exact(key)) === undefined);
      const begun = missing.filter((key) => this.pending.has(exact(key)));
      const fresh = missing.filter((key) => !begun.includes(key));
      const treatment = { ...subject, steps, facts: before };
      if (fresh.length > 0) this.plan(fresh.map(exact), { treatment, index, keys: fresh });
      const works = new Map(
        missing.flatMap((key) => this.pending.get(exact(key)) ?? []).map(({ work, run }) => [work, run]),
      );
      await Promise.all([...works].map(([work, run]) => this.measuring.ask(work, run, signal)));
      const ids: StepFactIds = {};
      for (const key of keys) {
        const id = this.known.get(exact(key)) as string;
        ids[key] = id;
        this.latest.set(looseKey(subject, steps, index, key), id);
        this.noteUse(exact(key));
      }
      return ids;
    });
  }

  /** Makes the work ready that measures facts together, for all who ask for one of them. */
  private plan(exact: string[], payload: FactsPayload): void {
    const run = async (stop: AbortSignal): Promise<void> => {
      try {
        const found = await this.pool.run("measureFacts", payload, { priority: PRIORITY.view, signal: stop });
        payload.keys.forEach((key, k) => this.keep(exact[k], found[key] ?? []));
      } finally {
        for (const key of exact) this.pending.delete(key);
      }
    };
    for (const key of exact) this.pending.set(key, { work: JSON.stringify(exact), run });
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
    this.unused.delete(key);
    this.save({ key, value });
    this.onMeasured();
  }

  /** A stored fact that is used is stored anew as used now, once. */
  private noteUse(exact: string): void {
    if (!this.unused.delete(exact)) return;
    const value = this.pool.valueOf(this.known.get(exact) ?? "");
    if (value) this.save({ key: exact, value });
  }
}

/** Facts of a project in storage take no more, in bytes of their JSON. */
const STORED_BYTES = 24 * 2 ** 20;

/** Which stored facts are not worth keeping: those of another version of the ways of measuring, and what was used longest ago of more than fits. */
export function outdatedFacts(facts: readonly (StoredFact & { usedAt: number })[]): string[] {
  const dropped: string[] = [];
  let bytes = 0;
  for (const { key, value } of [...facts].sort((a, b) => b.usedAt - a.usedAt)) {
    const isCurrent = key.endsWith(`,${FACTS_VERSION}]`);
    if (isCurrent) bytes += JSON.stringify(value).length;
    if (!isCurrent || bytes > STORED_BYTES) dropped.push(key);
  }
  return dropped;
}

/** The steps after which the picture is looked at for a fact, and the key of the fact there. */
function lookedAt(steps: readonly ChainStep[], index: number, key: FactKey): [before: ChainStep[], key: string] {
  const isUntouched = key.endsWith(`@${UNTOUCHED}`);
  const before = isUntouched ? [] : steps.slice(0, index).filter(({ on }) => on);
  return [before, key.replace(`@${UNTOUCHED}`, "@together")];
}

/** Kinds of parameters that facts follow. */
const FOLLOWED = ["patches", "stars"] as const;

/** What a fact depends on, as text. */
function exactKey({ picture }: Subject, steps: readonly ChainStep[], index: number, key: FactKey): string {
  const [before, known] = lookedAt(steps, index, key);
  const settings = before.map(({ operation, version, params, channels, blend, mask }) => {
    const known = findOperation(operation);
    const of = known?.parameters ?? { fields: [] };
    const followed = FOLLOWED.flatMap((kind) => followedBy(of, params, kind) ?? []);
    // Facts of chains without masks and patches keep the keys under which they were stored before there were any.
    return [
      operation,
      version,
      directValues(of, params),
      channels,
      blend,
      ...(mask ? [maskKey(mask)] : []),
      ...followed,
      ...(known ? hashesOf(known, params) : []),
    ];
  });
  return JSON.stringify([picture.id, settings, known, FACTS_VERSION]);
}

/** The same without the settings of earlier steps, and wherever patches lie. */
function looseKey({ picture }: Subject, steps: readonly ChainStep[], index: number, key: FactKey): string {
  const [before, known] = lookedAt(steps, index, key);
  return JSON.stringify([picture.id, before.map((s) => [s.operation, s.channels]), known.split("#")[0]]);
}

import { LRUCache } from "lru-cache";
import type { FactKey, StepFacts } from "@/core/chain";
import { UserError } from "@/core/job";

/** For each fact that a step needs, the id of its value. */
export type StepFactIds = Partial<Record<FactKey, string>>;

/**
 * A value that is too large to be posted with each job, such as the plan of a stack or a mesh: the
 * pool keeps it, messages carry its id.
 */
export interface Kept<T> {
  kept: string;
  /** Never there: the type of the value. */
  readonly of?: T;
}

/** Reads values by their ids. Throws UserError for an id that is not known. */
function valuesBy(ids: StepFactIds, valueOf: (id: string) => unknown[] | undefined): StepFacts {
  const facts: StepFacts = {};
  for (const [key, id] of Object.entries(ids) as [FactKey, string][]) {
    const value = valueOf(id);
    if (!value) throw new UserError(`the fact ${key} (${id}) is not known here`, "Reload the page, then try again.");
    facts[key] = value;
  }
  return facts;
}

/** A worker's values of facts by their ids: the pool says what to keep and what to forget, so that messages carry ids. */
export class FactValues {
  private readonly values = new Map<string, unknown[]>();

  keep(id: string, value: unknown[]): void {
    this.values.set(id, value);
  }

  forget(id: string): void {
    this.values.delete(id);
  }

  valuesOf(ids: StepFactIds): StepFacts {
    return valuesBy(ids, (id) => this.values.get(id));
  }

  /** Throws UserError where it is not known. */
  valueOf<T>({ kept }: Kept<T>): T {
    const value = this.values.get(kept);
    if (!value) throw new UserError(`what ${kept} stands for is not known here`, "Reload the page, then try again.");
    return value[0] as T;
  }
}

/** What a value takes: bytes of typed arrays, and of the JSON of all else. */
export function bytesOf(value: unknown): number {
  let ofArrays = 0;
  const json = JSON.stringify(value, (_key, part: unknown) => {
    if (!ArrayBuffer.isView(part)) return part;
    ofArrays += part.byteLength;
    return null;
  });
  return ofArrays + json.length;
}

/** A value with what it takes. */
export interface KeptFact {
  value: unknown[];
  bytes: number;
}

/** The pool's values of facts; what was used longest ago is forgotten once they take more than `mostBytes`. */
export class FactStore {
  private readonly kept: LRUCache<string, KeptFact>;
  private count = 0;

  constructor(mostBytes: number) {
    this.kept = new LRUCache({ maxSize: mostBytes, sizeCalculation: ({ bytes }) => bytes });
  }

  keep(value: unknown[]): string {
    const id = `f${++this.count}`;
    this.kept.set(id, { value, bytes: Math.max(1, bytesOf(value)) });
    return id;
  }

  get(id: string): KeptFact | undefined {
    return this.kept.get(id);
  }

  valuesOf(ids: StepFactIds): StepFacts {
    return valuesBy(ids, (id) => this.kept.get(id)?.value);
  }
}

/** The ids that a payload names: of the facts of its treatment, and of what is kept by itself. */
export function factIdsIn(payload: unknown): string[] {
  if (typeof payload !== "object" || payload === null) return [];
  const { treatment } = payload as { treatment?: { facts?: StepFactIds[] } };
  const ofTreatment = treatment?.facts?.flatMap((ids) => Object.values(ids).flatMap((id) => id ?? [])) ?? [];
  return [...ofTreatment, ...Object.values(payload).flatMap((value) => (isKept(value) ? value.kept : []))];
}

const isKept = (value: unknown): value is Kept<unknown> =>
  typeof value === "object" && value !== null && "kept" in value && typeof value.kept === "string";

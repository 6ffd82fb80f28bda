import type { FactKey, StepFacts } from "@/core/chain";
import { UserError } from "@/core/job";

/** For each fact that a step needs, the id of its value. */
export type StepFactIds = Partial<Record<FactKey, string>>;

/** The values of facts by their ids: one in each worker, filled by the pool, so that messages carry ids. */
export class FactShelf {
  private readonly values = new Map<string, unknown[]>();

  keep(id: string, value: unknown[]): void {
    this.values.set(id, value);
  }

  entries(): Iterable<[string, unknown[]]> {
    return this.values.entries();
  }

  /** Throws UserError for an id that was never kept. */
  valuesOf(ids: StepFactIds): StepFacts {
    const facts: StepFacts = {};
    for (const [key, id] of Object.entries(ids) as [FactKey, string][]) {
      const value = this.values.get(id);
      if (!value) throw new UserError(`the fact ${key} (${id}) is not known here`, "Reload the page, then try again.");
      facts[key] = value;
    }
    return facts;
  }
}

/** So many results of one owner are kept, the newest. */
const KEPT = 4;

/**
 * What was worked out once and may be asked for again: results by key, kept for as long as the
 * object that they were worked out of. `make` must depend on nothing but that object and what the
 * key says. What failed is not kept.
 */
export interface Memory {
  remember<T>(owner: object, key: string, make: () => T): T;
  rememberAsync<T>(owner: object, key: string, make: () => T | Promise<T>): Promise<T>;
}

/** A memory of the newest few results of each owner. Cost: a look-up. */
export function createMemory(): Memory {
  const known = new WeakMap<object, Map<string, unknown>>();
  const resultsOf = (owner: object): Map<string, unknown> => {
    const results = known.get(owner) ?? new Map<string, unknown>();
    known.set(owner, results);
    return results;
  };
  const keep = <T>(results: Map<string, unknown>, key: string, result: T): T => {
    results.delete(key);
    results.set(key, result);
    for (const oldest of results.keys()) if (results.size > KEPT) results.delete(oldest);
    return result;
  };
  return {
    remember<T>(owner: object, key: string, make: () => T): T {
      const results = resultsOf(owner);
      return keep(results, key, results.has(key) ? (results.get(key) as T) : make());
    },
    async rememberAsync<T>(owner: object, key: string, make: () => T | Promise<T>): Promise<T> {
      const results = resultsOf(owner);
      return keep(results, key, results.has(key) ? (results.get(key) as T) : await make());
    },
  };
}

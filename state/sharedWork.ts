import { LRUCache } from "lru-cache";
import { Stopped } from "@/core/job";

interface Pending<T> {
  made: Promise<T>;
  abort: AbortController;
  waiting: number;
}

/** Work by a key: asked for twice it is done once, what was made lately is kept, and what nobody waits for any more is stopped. */
export class SharedWork<T> {
  private readonly pending = new Map<string, Pending<T>>();
  private readonly made: LRUCache<string, { value: T }> | null;

  /** So many results are kept; with 0 those who made it keep what came of it elsewhere. */
  constructor(most: number) {
    this.made = most > 0 ? new LRUCache({ max: most }) : null;
  }

  /** What `work` makes under the key. Whoever gives a signal and aborts it hears Stopped at once; whoever gives none waits to the end. */
  ask(key: string, work: (signal: AbortSignal) => Promise<T>, signal?: AbortSignal): Promise<T> {
    if (signal?.aborted) return Promise.reject(new Stopped());
    const known = this.made?.get(key);
    if (known) return Promise.resolve(known.value);
    const entry = this.pending.get(key) ?? this.start(key, work);
    entry.waiting++;
    return new Promise((resolve, reject) => {
      const leave = () => {
        if (--entry.waiting === 0) {
          this.forget(key, entry);
          entry.abort.abort();
        }
        reject(new Stopped());
      };
      signal?.addEventListener("abort", leave, { once: true });
      entry.made.then(resolve, reject).finally(() => signal?.removeEventListener("abort", leave));
    });
  }

  /** Whether what is under the key is there. */
  isDone(key: string): boolean {
    return this.made?.has(key) ?? false;
  }

  private start(key: string, work: (signal: AbortSignal) => Promise<T>): Pending<T> {
    const abort = new AbortController();
    const entry: Pending<T> = { made: work(abort.signal), abort, waiting: 0 };
    this.pending.set(key, entry);
    entry.made
      .then((value) => {
        this.made?.set(key, { value });
      })
      .catch(() => undefined) // whoever waits hears it; the next one tries again
      .finally(() => this.forget(key, entry));
    return entry;
  }

  private forget(key: string, entry: Pending<T>): void {
    if (this.pending.get(key) === entry) this.pending.delete(key);
  }
}

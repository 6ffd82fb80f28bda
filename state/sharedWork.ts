import { LRUCache } from "lru-cache";

interface Entry<T> {
  made: Promise<T>;
  abort: AbortController;
  waiting: number;
  isDone: boolean;
}

/** Work by a key: asked for twice it is done once, what was made lately is kept, and what nobody waits for any more is stopped. */
export class SharedWork<T> {
  private readonly entries: LRUCache<string, Entry<T>>;

  constructor(most: number) {
    this.entries = new LRUCache({ max: most });
  }

  /** What `work` makes under the key. Whoever gives a signal and aborts it waits no more; whoever gives none waits to the end. */
  ask(key: string, work: (signal: AbortSignal) => Promise<T>, signal?: AbortSignal): Promise<T> {
    const entry = this.entries.get(key) ?? this.start(key, work);
    entry.waiting++;
    signal?.addEventListener(
      "abort",
      () => {
        if (--entry.waiting > 0 || entry.isDone) return;
        this.forget(key, entry);
        entry.abort.abort();
      },
      { once: true },
    );
    return entry.made;
  }

  /** Whether what is under the key is there. */
  isDone(key: string): boolean {
    return this.entries.peek(key)?.isDone ?? false;
  }

  private start(key: string, work: (signal: AbortSignal) => Promise<T>): Entry<T> {
    const abort = new AbortController();
    const entry: Entry<T> = { made: work(abort.signal), abort, waiting: 0, isDone: false };
    this.entries.set(key, entry);
    entry.made.then(
      () => (entry.isDone = true),
      () => this.forget(key, entry), // stopped or failed: the next one tries again
    );
    return entry;
  }

  private forget(key: string, entry: Entry<T>): void {
    if (this.entries.peek(key) === entry) this.entries.delete(key);
  }
}

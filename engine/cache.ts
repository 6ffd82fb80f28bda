/** A cache that forgets what was used longest ago once it holds more than `limitBytes`. */
export class ByteCache<T> {
  private readonly entries = new Map<string, { value: T; bytes: number }>();
  private held = 0;

  constructor(
    private readonly limitBytes: number,
    private readonly sizeOf: (value: T) => number,
  ) {}

  get bytes(): number {
    return this.held;
  }

  get(key: string): T | undefined {
    const entry = this.entries.get(key);
    if (!entry) return undefined;
    this.entries.delete(key);
    this.entries.set(key, entry);
    return entry.value;
  }

  /** Keeps a value; one larger than the whole cache is not kept. */
  set(key: string, value: T): void {
    const bytes = this.sizeOf(value);
    const old = this.entries.get(key);
    if (old) {
      this.held -= old.bytes;
      this.entries.delete(key);
    }
    if (bytes > this.limitBytes) return;
    this.entries.set(key, { value, bytes });
    this.held += bytes;
    for (const [oldest, entry] of this.entries) {
      if (this.held <= this.limitBytes) break;
      this.entries.delete(oldest);
      this.held -= entry.bytes;
    }
  }
}

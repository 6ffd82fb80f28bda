import { Stopped } from "@/core/job";
import type { Raster, Region } from "@/core/raster";
import { rasterBytes } from "@/core/raster";
import type { Warp } from "@/core/register";
import { byteCache } from "@/engine/cache";
import type { Priority, WorkerPool } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";

/** A treated region as it is asked for. */
export interface CropRequest {
  treatment: Treatment;
  region: Region;
  reduce: number;
  onto?: Warp | null;
  /** Half the difference of the treated halves in place of the picture. */
  isNoise?: boolean;
}

export interface Crop {
  raster: Raster;
  /** Milliseconds that the worker took; 0 where it knew the crop already. */
  ms: number;
}

interface Pending {
  crop: Promise<Crop>;
  abort: AbortController;
  waiting: number;
  /** Told how much of it is done. */
  listeners: Set<(share: number) => void>;
}

/** Memory for crops that were looked at. */
const CACHE_BYTES = 192 * 2 ** 20;

export interface AskOptions {
  signal: AbortSignal;
  priority: Priority;
  affinity: string;
  /** Told the share that is done, 0 … 1, as it goes. */
  onProgress?: (share: number) => void;
}

/** What a crop depends on: the same for the same pixels. */
export function cropKey({ treatment, region, reduce, onto = null, isNoise = false }: CropRequest): string {
  const { x, y, width, height } = region;
  const { picture, steps, facts } = treatment;
  return JSON.stringify([picture.id, steps, facts, x, y, width, height, reduce, onto, isNoise]);
}

/**
 * Treated crops by what they are of: whoever asks for one that another asked for too gets the same, and what was looked at lately is
 * there at once. A crop is given up when nobody waits for it any more.
 */
export class CropBook {
  private readonly known = byteCache<Crop>(CACHE_BYTES, ({ raster }) => rasterBytes(raster));
  private readonly pending = new Map<string, Pending>();

  constructor(private readonly pool: WorkerPool) {}

  /** A crop that is there already. */
  get(wanted: CropRequest): Crop | undefined {
    return this.known.get(cropKey(wanted));
  }

  /** A crop; Stopped where `signal` aborts first. Only whoever asks first says how urgent it is and where it is made. */
  ask(wanted: CropRequest, { signal, priority, affinity, onProgress }: AskOptions): Promise<Crop> {
    const key = cropKey(wanted);
    const known = this.known.get(key);
    if (known) return Promise.resolve(known);
    const entry = this.pending.get(key) ?? this.start(key, wanted, priority, affinity);
    entry.waiting++;
    if (onProgress) entry.listeners.add(onProgress);
    return new Promise((resolve, reject) => {
      const leave = (): void => {
        if (onProgress) entry.listeners.delete(onProgress);
        if (--entry.waiting === 0) {
          entry.abort.abort();
          if (this.pending.get(key) === entry) this.pending.delete(key);
        }
        reject(new Stopped());
      };
      if (signal.aborted) return leave();
      signal.addEventListener("abort", leave, { once: true });
      entry.crop.then(resolve, reject).finally(() => signal.removeEventListener("abort", leave));
    });
  }

  private start(key: string, wanted: CropRequest, priority: Priority, affinity: string): Pending {
    const abort = new AbortController();
    let ms = 0;
    // A crop of the picture needs no halves, and every file in a message costs time to hand over.
    const { treatment, isNoise } = wanted;
    const payload = isNoise ? wanted : { ...wanted, treatment: { ...treatment, halves: null } };
    const listeners: Pending["listeners"] = new Set();
    const onProgress = (share: number) => listeners.forEach((tell) => tell(share));
    const crop = this.pool
      .run("crop", payload, { priority, affinity, signal: abort.signal, onTime: (taken) => (ms = taken), onProgress })
      .then((raster) => ({ raster, ms }));
    const entry = { crop, abort, waiting: 0, listeners };
    this.pending.set(key, entry);
    crop
      .then((made) => this.known.set(key, made))
      .catch(() => undefined) // told to whoever waits
      .finally(() => this.pending.get(key) === entry && this.pending.delete(key));
    return entry;
  }
}

import { LRUCache } from "lru-cache";

/** Forgets what was used longest ago once it holds more than its bytes; keeps nothing that is larger than all of them. */
export type ByteCache<T extends object> = LRUCache<string, T>;

export function byteCache<T extends object>(limitBytes: number, sizeOf: (value: T) => number): ByteCache<T> {
  return new LRUCache<string, T>({
    maxSize: limitBytes,
    // The package takes whole positive sizes.
    sizeCalculation: (value) => Math.max(1, Math.ceil(sizeOf(value))),
  });
}

import type { Region } from "@/core/raster";
import { CREATOR } from "@/core/version";
import type { StackPlan, StackSettings } from "@/core/stack";
import type { FrameRef } from "../frames";
import type { StripResult } from "../tasks/stack";

/** A finished strip of a stack: what is known of it, and its planes as the bytes of a float FITS file. */
export interface StoredStrip {
  samples: number;
  rejected: number;
  peakBytes: number;
  /** Planes of the mean, of half A, of half B, and the coverage, one after the other, each of `planeBytes`; then three of counts, a byte a pixel; last counts by sub and block. */
  planes: Blob;
  planeBytes: number;
}

/** A strip that was just made: its planes in pieces, as the worker gave them. */
export type MadeStrip = Omit<StoredStrip, "planes"> & { planes: Uint8Array[] };

/** Where finished strips wait until their stack is whole: an interrupted stack goes on from them. */
export interface StripStore {
  load(stack: string, y: number): Promise<StoredStrip | null>;
  /** Keeps a strip and returns it as it lies there: its planes need no longer be held in memory. */
  save(stack: string, y: number, strip: MadeStrip): Promise<StoredStrip>;
  /** Forgets the strips of all stacks but one, or of all. */
  forget(except: string | null): Promise<void>;
  /** Whether what is kept takes no memory. */
  isOnDisk: boolean;
  /** A picture made of kept strips, put where workers can read it; where blobs go to workers as they are, none is needed. */
  draft?(name: string, picture: Blob): Promise<FrameRef>;
}

/** Keeps nothing: a stack that is interrupted begins anew. */
export const NO_STRIPS: StripStore = {
  load: () => Promise.resolve(null),
  save: (_stack, _y, strip) => Promise.resolve(inMemory(strip)),
  forget: () => Promise.resolve(),
  isOnDisk: false,
};

/** A picture that was made of strips, for workers to read. */
export async function draftOf(store: StripStore, name: string, picture: Blob): Promise<FrameRef> {
  return (
    (await store.draft?.(name, picture)) ?? { id: `${name}-${crypto.randomUUID()}`, name, kind: "blob", blob: picture }
  );
}

/** What all strips of a stack depend on, as a short text: the same for the same bytes. */
export async function stackKey(
  plan: StackPlan,
  settings: StackSettings,
  frames: readonly FrameRef[],
  strips: readonly Region[],
): Promise<string> {
  // Memory makes smaller tiles, not another result. Files are known by their ids.
  const { memoryMiB: _, ...telling } = settings;
  const text = JSON.stringify([CREATOR, plan, telling, frames, strips]);
  const digest = await crypto.subtle.digest("SHA-256", new TextEncoder().encode(text));
  return [...new Uint8Array(digest)].map((byte) => byte.toString(16).padStart(2, "0")).join("");
}

export function madeStrip({ mean, a, b, coverage, rejections, blocks, ...rest }: StripResult): MadeStrip {
  return { ...rest, planes: [...mean, ...a, ...b, coverage, ...rejections, blocks], planeBytes: coverage.byteLength };
}

/** A strip whose planes a blob holds. */
export const inMemory = (strip: MadeStrip): StoredStrip => ({ ...strip, planes: new Blob(strip.planes as BlobPart[]) });

/** One plane of a strip; `part` counts planes from the first of the mean. */
export const planeOf = ({ planes, planeBytes }: StoredStrip, part: number): Blob =>
  planes.slice(part * planeBytes, (part + 1) * planeBytes);

/** Counts of what was rejected in a strip of a stack: 0 above the others, 1 in all, 2 below. */
export function rejectionsOf({ planes, planeBytes }: StoredStrip, channels: number, part: number): Blob {
  const start = (3 * channels + 1) * planeBytes;
  return planes.slice(start + (part * planeBytes) / 4, start + ((part + 1) * planeBytes) / 4);
}

/** Rows of blocks in which a sub was rejected in a strip: of sub k above the others 2 k, below them 2 k + 1. */
export function blocksOfStrip(
  { planes, planeBytes }: StoredStrip,
  channels: number,
  parts: number,
  part: number,
): Blob {
  const start = (3 * channels + 1) * planeBytes + (3 * planeBytes) / 4;
  const bytes = (planes.size - start) / parts;
  return planes.slice(start + part * bytes, start + (part + 1) * bytes);
}

/**
 * Strips one after another over whatever `make` uses; those that are in the store already are taken from there. `from`: added to a strip's row where it is stored, so that
 * two pictures of one stack do not mix. `onShare` hears what share of all rows is done.
 */
export async function keptStrips(
  regions: readonly Region[],
  { store, key, from }: { store: StripStore; key: string; from: number },
  make: (region: Region, onFraction: (fraction: number) => void) => Promise<StripResult>,
  onShare: (share: number) => void,
): Promise<StoredStrip[]> {
  const done = regions.map(() => 0);
  const tell = (k: number) => (fraction: number) => {
    done[k] = fraction;
    onShare(done.reduce((a, b) => a + b, 0) / regions.length);
  };
  return Promise.all(
    regions.map(async (region, k) => {
      const onStrip = tell(k);
      let strip = await store.load(key, from + region.y).catch(() => null);
      if (!strip) {
        const made = madeStrip(await make(region, onStrip));
        // A strip that cannot be kept only costs memory, and time if the stack is interrupted.
        strip = await store.save(key, from + region.y, made).catch(() => inMemory(made));
      }
      onStrip(1);
      return strip;
    }),
  );
}

import type { ByteSource, FitsFrame } from "@/core/formats";
import { openFits, valueOf } from "@/core/formats";

/** Where the bytes of a stored FITS picture are; small enough to post to a worker. */
export type FrameRef = { id: string; name: string } & ({ kind: "blob"; blob: Blob } | { kind: "file"; path: string });

/** Opens the bytes behind a reference; each platform brings its own. */
export type OpenBytes = (ref: FrameRef) => Promise<ByteSource>;

export function bytesOfBlob(name: string, blob: Blob): ByteSource {
  return {
    name,
    size: blob.size,
    read: async (offset, length) => {
      const bytes = new Uint8Array(await blob.slice(offset, offset + length).arrayBuffer());
      if (bytes.length < length) throw new RangeError(`${name}: bytes ${offset} … ${offset + length} lie past the end`);
      return bytes;
    },
  };
}

/** Opened frames by id; the header of each is read once. */
export interface FrameShelf {
  open(ref: FrameRef): Promise<FitsFrame>;
}

const MOST_OPEN = 2048;

export function createFrameShelf(openBytes: OpenBytes): FrameShelf {
  const frames = new Map<string, Promise<FitsFrame>>();
  return {
    open(ref) {
      const known = frames.get(ref.id);
      if (known) return known;
      const opening = openBytes(ref).then(openFits).then(valueOf);
      frames.set(ref.id, opening);
      opening.catch(() => frames.delete(ref.id));
      if (frames.size > MOST_OPEN) frames.delete(frames.keys().next().value as string);
      return opening;
    },
  };
}

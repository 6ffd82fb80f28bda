import type { FrameSource } from "../raster";
import type { ByteSource } from "./bytes";
import type { Card } from "./card";
import type { SubMetadata } from "./metadata";

export type FormatId = "fits" | "tiff" | "png" | "ser" | "avi";

/**
 * A file with one picture or a video of many, opened: its header is read, its pixels are not. Row 0 is the top row as
 * displayed, in every format. `fullScale` is the stored value that becomes 1.0 in a Raster (1 for floats).
 */
export interface PictureFile {
  readonly format: FormatId;
  readonly frames: number;
  readonly width: number;
  readonly height: number;
  readonly channels: number;
  /** Bits per stored sample; negative for floats. */
  readonly bitpix: number;
  readonly fullScale: number;
  readonly cards: Card[];
  readonly metadata: SubMetadata;
  /** Whether a region is read without decoding the rest. If not, the file is unpacked once (unpack.ts). */
  readonly randomAccess: boolean;
  /** Frame `index` (0-based); RangeError outside 0 … frames − 1. */
  frame(index: number): FrameSource;
  /** The whole file where it was unpacked into memory and is a plain file of its format now. */
  readonly plain?: Uint8Array;
  /** Whether rows were turned over on reading: world coordinates in its cards are those of the stored order. */
  readonly turned: boolean;
  /** What is odd about the file but did not keep it from being read, in words. */
  readonly notes: readonly string[];
  /** Start of a frame in ms since 1970 UTC; null where the file does not say. */
  timeOf(index: number): number | null;
}

/** One open format: how it is told from others, and opened. */
export interface PictureFormat {
  id: FormatId;
  title: string;
  /** Usual endings of file names, with the dot. */
  endings: string[];
  /** Whether the first bytes (up to 512) are this format's. */
  recognises(start: Uint8Array): boolean;
  /** Rejects with FormatError. `progress` hears the fraction done where opening has to decode. */
  open(bytes: ByteSource, progress?: (fraction: number) => void): Promise<PictureFile>;
}

/** The one frame of a still picture; RangeError for any other. */
export function onlyFrame(source: FrameSource): (index: number) => FrameSource {
  return (index) => {
    if (index !== 0) throw new RangeError(`frame must be 0 in a still picture, received ${index}`);
    return source;
  };
}

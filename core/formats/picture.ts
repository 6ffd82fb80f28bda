import type { FrameSource, Raster } from "../raster";
import type { ByteSource } from "./bytes";
import type { Card } from "./card";
import type { SubMetadata } from "./metadata";
import type { FrameUnit } from "./unit";

/**
 * A file with one picture or a video of many, opened: its header is read, its pixels are not. Row 0 is the top row as
 * displayed, in every format. `fullScale` is the stored value that becomes 1.0 in a Raster (1 for floats).
 */
export interface PictureFile {
  /** Id of its format in the registry. */
  readonly format: string;
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

export type WrittenSample = "uint8" | "uint16" | "float32";

/** A picture as it is written in a format: samples of integers are shares of full scale. */
export interface Written {
  raster: Raster;
  sample: WrittenSample;
  /** What its samples were before. */
  unit: FrameUnit;
  /** The file that it comes from, with what is known of it and, for videos, its other frames. */
  source: PictureFile;
}

/** One open format. Its code is loaded when a file of it is met, or written. */
export interface PictureFormat {
  id: string;
  title: string;
  /** Usual endings of file names, with the dot. */
  endings: readonly string[];
  /** Whether the first bytes (up to 512) are this format's. */
  recognises(start: Uint8Array): boolean;
  reader(): Promise<FormatReader>;
  /** @default it is not written */
  writer?: {
    /** Endings of names by which it is meant. */
    endings: readonly string[];
    samples: readonly WrittenSample[];
    load(): Promise<FormatWriter>;
  };
}

export interface FormatReader {
  /** Rejects with FormatError. `progress` hears the fraction done where opening has to decode. */
  open(bytes: ByteSource, progress?: (fraction: number) => void): Promise<PictureFile>;
}

export interface FormatWriter {
  write(picture: Written): Promise<Uint8Array>;
}

/** The one frame of a still picture; RangeError for any other. */
export function onlyFrame(source: FrameSource): (index: number) => FrameSource {
  return (index) => {
    if (index !== 0) throw new RangeError(`frame must be 0 in a still picture, received ${index}`);
    return source;
  };
}

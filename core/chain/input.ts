import type { FrameSource } from "../raster";

/** A stack as the chain sees it: the picture, its halves where there are some, and the level that fills its gaps. */
export interface ChainInput {
  picture: FrameSource;
  halves: { a: FrameSource; b: FrameSource } | null;
  fill: number[];
  /** Full scale in samples of the picture. */
  fullScale: number;
}

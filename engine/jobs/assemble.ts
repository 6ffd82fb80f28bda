import { BLOCK_PX } from "@/core/combine";
import type { FitsCard, FitsSample } from "@/core/formats";
import { fitsHeader, fitsPadding } from "@/core/formats";
import type { Region } from "@/core/raster";
import { tilesOf } from "@/core/raster";

/** Strips of whole rows, about eight for each worker, between 16 and 256 rows high, in steps of the blocks in which rejections are counted. */
export function stripsOf(width: number, height: number, workers: number): Region[] {
  const rows = Math.min(256, BLOCK_PX * Math.ceil(height / (8 * workers) / BLOCK_PX));
  return tilesOf({ x: 0, y: 0, width, height }, width, rows);
}

/** A FITS file from the strips of its planes. */
export function assemble(
  width: number,
  height: number,
  channels: number,
  cards: FitsCard[],
  history: string[],
  strips: (channel: number) => Blob[],
  sample: FitsSample = "float32",
): Blob {
  const layout = { width, height, channels, sample, cards, history };
  const planes = Array.from({ length: channels }, (_, c) => strips(c)).flat();
  return new Blob([fitsHeader(layout), ...planes, fitsPadding(layout)] as BlobPart[], { type: "image/fits" });
}

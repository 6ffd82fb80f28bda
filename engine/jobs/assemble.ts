import { BLOCK_PX } from "@/core/combine";
import type { FitsCard, FitsSample } from "@/core/formats";
import { fitsHeader, fitsPadding } from "@/core/formats";
import type { Region } from "@/core/raster";
import { tilesOf } from "@/core/raster";

/** A strip is at least so many times as high as the surroundings that it needs on either side, unless it held more than so many pixels: each worker holds many copies of one. */
const [HALOS, MOST_PX] = [8, 1.6 * 2 ** 21];
const MOST_ROWS = 256;

/** Strips of whole rows, about eight for each worker, between 16 and 256 rows high, in steps of the blocks in which rejections are counted; fewer and higher ones where each needs surroundings of `halo` px, which are worked on again for each. */
export function stripsOf(width: number, height: number, workers: number, halo = 0): Region[] {
  const blocks = (rows: number) => BLOCK_PX * Math.ceil(rows / BLOCK_PX);
  const most = Math.max(MOST_ROWS, BLOCK_PX * Math.floor(MOST_PX / width / BLOCK_PX));
  const rows = Math.max(Math.min(MOST_ROWS, blocks(height / (8 * workers))), Math.min(most, blocks(HALOS * halo)));
  // As many for each worker, so that none waits for the last.
  const count = workers * Math.ceil(height / rows / workers);
  return tilesOf({ x: 0, y: 0, width, height }, width, halo > 0 ? Math.min(rows, blocks(height / count)) : rows);
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

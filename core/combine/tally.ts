import type { CombineResult, ScatterModel } from "../kernels";
import type { Region } from "../raster";
import { intersectRegions } from "../raster";

/** At how many pixels of square blocks samples of each layer were rejected. */
export interface RejectedBlocks {
  /** In the coordinates of the tiles. */
  region: Region;
  columns: number;
  rows: number;
  /** By layer, first above the others (or known to be bad), then below, then by row of blocks; 255 for more. */
  counts: Uint8ClampedArray;
}

/** Side of a block in px. */
export const BLOCK_PX = 16;

export function emptyBlocks(region: Region, layers: number): RejectedBlocks {
  const columns = Math.ceil(region.width / BLOCK_PX);
  const rows = Math.ceil(region.height / BLOCK_PX);
  return { region, columns, rows, counts: new Uint8ClampedArray(2 * layers * columns * rows) };
}

/** A channel as it was combined: its samples, what came of them, and the scatter that was expected, if it was. */
export interface CombinedChannel {
  cube: Float32Array;
  result: CombineResult;
  model?: ScatterModel;
}

/**
 * Adds the rejected samples of a tile to blocks. The results say how many samples of a pixel were
 * rejected above and below the others; they are those that lie
 * furthest off: in value, or in units of the scatter that is expected of their layers. A pixel counts once for a layer, whatever the number of its channels. `from`:
 * the region of which the channels are, which holds the tile. What lies beyond the blocks' region
 * counts for nothing. Costs as much as there are pixels with something rejected.
 */
export function tallyInto(blocks: RejectedBlocks, whole: Region, from: Region, channels: readonly CombinedChannel[]) {
  const tile = intersectRegions(whole, blocks.region);
  const pixels = from.width * from.height;
  const count = channels[0].cube.length / pixels;
  const scores = new Float64Array(count);
  const signs = new Int8Array(count);
  const { columns, rows, region, counts } = blocks;
  const [{ result: first }] = channels;
  const isLone = channels.length === 1;
  for (let y = tile.y; y < tile.y + tile.height; y++) {
    const row = Math.floor((y - region.y) / BLOCK_PX) * columns;
    for (let x = tile.x; x < tile.x + tile.width; x++) {
      const p = (y - from.y) * from.width + (x - from.x);
      // Nearly all pixels keep all they have.
      if (first.coverage[p] === first.kept[p] && (isLone || !isRejectedAt(channels, p))) continue;
      signs.fill(0);
      for (const { cube, result, model } of channels) {
        const rejected = result.coverage[p] - result.kept[p];
        if (rejected === 0) continue;
        scoresAt(scores, cube, p, pixels, model);
        const below = result.below[p];
        for (let k = 0; k < rejected; k++) signs[takeFurthest(scores, k < below ? -1 : 1)] = k < below ? -1 : 1;
      }
      const block = row + Math.floor((x - region.x) / BLOCK_PX);
      for (let i = 0; i < count; i++)
        if (signs[i] !== 0) counts[(2 * i + (signs[i] > 0 ? 0 : 1)) * columns * rows + block]++;
    }
  }
}

const isRejectedAt = (channels: readonly CombinedChannel[], p: number): boolean =>
  channels.some(({ result }) => result.coverage[p] !== result.kept[p]);

/** How far each layer's sample lies from the others, with its sign; NaN for none. */
function scoresAt(out: Float64Array, cube: Float32Array, p: number, pixels: number, model?: ScatterModel): void {
  for (let i = 0, k = p; i < out.length; i++, k += pixels) {
    const value = cube[k];
    out[i] = value;
    if (!model || !Number.isFinite(value)) continue;
    const off = value - model.centre[p];
    const light = Math.max(0, model.centre[p] - model.sky);
    const variance = model.noise[i] + model.signal[i] * light + model.blur[i] * model.curvature[p] + model.slope[p];
    out[i] = (off * Math.abs(off)) / variance;
  }
}

/** The layer that lies furthest to one side; it is taken out. */
function takeFurthest(scores: Float64Array, sign: 1 | -1): number {
  let furthest = 0;
  let most = -Infinity;
  for (let i = 0; i < scores.length; i++) {
    const score = sign * scores[i];
    if (score > most) {
      most = score;
      furthest = i;
    }
  }
  scores[furthest] = NaN;
  return furthest;
}

import type { JobHandle } from "../job";
import type { Raster, Region } from "../raster";

/** Frames that lie over one another, as the walk reads them. */
export interface Layers {
  count: number;
  channels: number;
  /** Samples of one layer on a tile; NaN where it has none. */
  read(layer: number, tile: Region): Promise<Raster>;
}

/**
 * Walks tiles one after the other, reading of every layer only what lies on the tile, and gives all samples of a tile to `visit`, one cube a
 * channel: `cube[i * pixels + p]` is layer i at pixel p. Stacks and masters are both made so. Returns the most bytes held at once for samples.
 */
export async function walkTiles(
  layers: Layers,
  tiles: readonly Region[],
  job: JobHandle,
  visit: (tile: Region, cubes: Float32Array[]) => void,
): Promise<number> {
  const { count, channels } = layers;
  let peakBytes = 0;
  for (const [t, tile] of tiles.entries()) {
    const pixels = tile.width * tile.height;
    const cubes = Array.from({ length: channels }, () => new Float32Array(count * pixels));
    for (let i = 0; i < count; i++) {
      await job.breathe();
      const samples = await layers.read(i, tile);
      samples.planes.forEach((plane, c) => cubes[c].set(plane, i * pixels));
      job.progress((t + (i + 1) / count) / tiles.length);
    }
    // The cubes, one layer read and resampled, and the four results.
    peakBytes = Math.max(peakBytes, pixels * channels * (4 * count + 8 + 16));
    visit(tile, cubes);
  }
  return peakBytes;
}

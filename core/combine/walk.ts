import type { JobHandle } from "../job";
import type { CombineResult, CombineSettings } from "../kernels";
import type { Raster, Region } from "../raster";

/** Frames that lie over one another, as the walk reads them. */
export interface Layers {
  count: number;
  channels: number;
  /** Samples of one layer on a tile; NaN where it has none. */
  read(layer: number, tile: Region): Promise<Raster>;
  /** Weight of each layer on a tile, for a channel. */
  weights(tile: Region, channel: number): ArrayLike<number>;
}

/** What came of a tile: one result a channel. */
export interface CombinedTile {
  tile: Region;
  channels: CombineResult[];
}

/**
 * Walks tiles one after the other, reading of every layer only what lies on the tile, combines them pixel by pixel and gives the
 * results to `visit`. Stacks and masters are both made so. Returns the most bytes held at once for samples.
 */
export async function combineTiles(
  layers: Layers,
  tiles: readonly Region[],
  settings: CombineSettings,
  job: JobHandle,
  visit: (combined: CombinedTile) => void,
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
    // The cubes, one layer read and resampled, and the results.
    peakBytes = Math.max(peakBytes, pixels * channels * (4 * count + 8 + 16));
    const combined = cubes.map((cube, c) =>
      job.kernels.combine(cube, count, pixels, layers.weights(tile, c), settings),
    );
    visit({ tile, channels: combined });
  }
  return peakBytes;
}

import type { JobHandle } from "../job";
import type { CombineResult, CombineSettings, Means } from "../kernels";
import type { CreateRaster, Raster, Region } from "../raster";
import { growRegion, rasterOf, relativeTo } from "../raster";
import type { Combiner } from "./combiner";
import type { LayerScatter } from "./gradientScatter";
import { gradientScatter } from "./gradientScatter";
import type { RejectedBlocks } from "./tally";
import { tallyInto } from "./tally";

/** Frames that lie over one another, as a cube reads them. */
export interface CubeLayers {
  count: number;
  channels: number;
  /** Samples of one layer on a tile, which may lie in what `create` made; NaN where it has none. Where scatter is expected, tiles reach a pixel beyond the picture. */
  read(layer: number, tile: Region, create: CreateRaster): Promise<Raster>;
  /** Weight of each layer on a tile, for a channel. */
  weights(tile: Region, channel: number): ArrayLike<number>;
  /** A second weight of each layer, for the finest detail of a channel; null for none. */
  fineWeights?(channel: number): ArrayLike<number> | null;
  /** The scatter that is expected of each layer, for a channel; needed by the rejector that goes by it. */
  scatter?(channel: number): LayerScatter;
  /** Pixels of a tile at which a layer is known to be bad (1), or null for none. */
  defective?(layer: number, tile: Region): Uint8Array | null;
  /** Pixels of a tile that was just read at which a layer is saturated (1) and gives way to layers that are not; null for none. */
  saturated?(layer: number): Uint8Array | null;
  /** Where it is counted what is rejected of each layer. */
  tally?: RejectedBlocks;
}

/** What came of a tile: one result a channel. */
export interface CombinedTile {
  tile: Region;
  channels: CombineResult[];
}

/** A bad sample is only left out where so many others are there. */
const LEAST_OTHERS = 2;

/**
 * Walks tiles one after the other, reading of every layer only what lies on the tile, and combines
 * all its samples pixel by pixel, outliers rejected. Stacks and masters are both made so.
 */
export const cube = (settings: CombineSettings): Combiner<CubeLayers, CombinedTile> => ({
  run: (layers, tiles, job, visit) => combineTiles(layers, tiles, settings, job, visit),
});

async function combineTiles(
  layers: CubeLayers,
  tiles: readonly Region[],
  settings: CombineSettings,
  job: JobHandle,
  visit: (combined: CombinedTile) => void,
): Promise<number> {
  const { count, channels } = layers;
  const byModel = settings.rejector.narrow === null;
  let peakBytes = 0;
  let cubes: Float32Array[] = [];
  for (const [t, tile] of tiles.entries()) {
    // The steepness of the picture at a pixel is measured from its neighbours.
    const read = byModel ? growRegion(tile, 1) : tile;
    const pixels = read.width * read.height;
    // Every sample is written anew, so that the memory of the tile before serves again.
    if (cubes.length === 0 || cubes[0].length !== count * pixels)
      cubes = Array.from({ length: channels }, () => new Float32Array(count * pixels));
    for (let i = 0; i < count; i++) {
      await job.breathe();
      const places = cubes.map((cube) => cube.subarray(i * pixels, (i + 1) * pixels));
      const { planes } = await layers.read(i, read, () => rasterOf(read.width, read.height, places));
      planes.forEach((plane, c) => plane !== places[c] && places[c].set(plane));
      job.progress((t + (i + 1) / count) / tiles.length);
    }
    markSaturated(cubes, pixels, layers);
    markDefective(cubes, pixels, layers, read);
    // The cubes, one layer read and resampled, and the results.
    peakBytes = Math.max(peakBytes, pixels * channels * (4 * count + 8 + 16));
    const combined = cubes.map((cube, c) => {
      const weights = layers.weights(tile, c);
      const fine = layers.fineWeights?.(c);
      if (!byModel)
        return { cube, result: job.kernels.combine(cube, count, pixels, weights, settings, undefined, fine) };
      const scatter = layers.scatter?.(c);
      if (!scatter) throw new RangeError("this rejection needs the scatter that is expected of each layer");
      const { median: centre, spread } = job.kernels.centres(cube, count, pixels);
      const flanks = gradientScatter(centre, read.width, read.height, scatter, count);
      const model = { ...scatter, centre, spread, ...flanks };
      return { cube, model, result: job.kernels.combine(cube, count, pixels, weights, settings, model, fine) };
    });
    if (layers.tally) tallyInto(layers.tally, tile, read, combined);
    visit({ tile, channels: combined.map(({ result }) => (byModel ? cropResult(result, read, tile) : result)) });
  }
  return peakBytes;
}

/** Takes out saturated samples (NaN) wherever a layer that is not saturated is there. */
function markSaturated(cubes: readonly Float32Array[], pixels: number, { count, saturated }: CubeLayers): void {
  if (!saturated) return;
  const masks = Array.from({ length: count }, (_, i) => saturated(i));
  if (masks.every((mask) => mask === null)) return;
  const isSpent = new Uint8Array(pixels);
  for (const mask of masks) if (mask) for (let p = 0; p < pixels; p++) isSpent[p] |= mask[p];
  for (let p = 0; p < pixels; p++) {
    if (isSpent[p] === 0) continue;
    for (const cube of cubes)
      if (masks.some((mask, i) => mask?.[p] !== 1 && cube[i * pixels + p] < Infinity))
        for (const [i, mask] of masks.entries()) if (mask?.[p] === 1) cube[i * pixels + p] = NaN;
  }
}

/** Marks bad samples as such (+∞) where enough others are left. */
function markDefective(
  cubes: readonly Float32Array[],
  pixels: number,
  { count, defective }: CubeLayers,
  tile: Region,
): void {
  if (!defective) return;
  const leftAt = (cube: Float32Array, p: number): number => {
    let left = 0;
    for (let k = p; k < cube.length; k += pixels) if (cube[k] < Infinity) left++;
    return left;
  };
  for (let i = 0; i < count; i++) {
    const mask = defective(i, tile);
    if (!mask) continue;
    for (const cube of cubes)
      for (let p = 0, k = i * pixels; p < pixels; p++, k++)
        if (mask[p] === 1 && cube[k] < Infinity && leftAt(cube, p) > LEAST_OTHERS) cube[k] = Infinity;
  }
}

/** The part of a result that lies on `tile`. */
function cropResult(whole: CombineResult, from: Region, tile: Region): CombineResult {
  const { x, y } = relativeTo(from, tile);
  const part = <T extends Float32Array | Uint16Array>(plane: T, out: T): T => {
    for (let row = 0; row < tile.height; row++) {
      const start = (y + row) * from.width + x;
      out.set(plane.subarray(start, start + tile.width), row * tile.width);
    }
    return out;
  };
  const pixels = tile.width * tile.height;
  const means = ({ mean, a, b }: Means): Means => ({
    mean: part(mean, new Float32Array(pixels)),
    a: part(a, new Float32Array(pixels)),
    b: part(b, new Float32Array(pixels)),
  });
  const [kept, coverage, below] = [whole.kept, whole.coverage, whole.below].map((counts) =>
    part(counts, new Uint16Array(pixels)),
  );
  // Not counted up in the result itself: a loop over fields of an object takes many times as long.
  let [samples, left] = [0, 0];
  for (let p = 0; p < pixels; p++) {
    samples += coverage[p];
    left += kept[p];
  }
  return {
    ...means(whole),
    fine: whole.fine && means(whole.fine),
    kept,
    coverage,
    below,
    samples,
    rejected: samples - left,
  };
}

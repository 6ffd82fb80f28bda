import type { JobHandle } from "../job";
import type { CreateRaster, Raster, Region } from "../raster";
import { reusedRasters } from "../raster";
import type { Combiner } from "./combiner";

/** Layers as a streaming combiner reads them. */
export interface StreamedLayers {
  count: number;
  channels: number;
  /** Samples of a layer on a tile, which may lie in what `create` made; NaN where it has none. */
  read(layer: number, tile: Region, create: CreateRaster): Promise<Raster>;
  /** Weight of a layer on a tile, for a channel: one number, or one a pixel. A sample of weight 0 does not count. */
  weight(layer: number, tile: Region, channel: number): number | Float32Array;
  half(layer: number): "A" | "B";
}

/** What came of a tile, of one channel. NaN where there is no sample; the variance where there are fewer than two. */
export interface Streamed {
  mean: Float32Array;
  /** Means of the layers of either half. */
  a: Float32Array;
  b: Float32Array;
  /** Of the samples about their mean, each by its weight; unbiased for equal weights. */
  variance: Float32Array;
  /** The least and the largest sample. */
  least: Float32Array;
  most: Float32Array;
  /** Layers with a sample. */
  coverage: Uint32Array;
}

export interface StreamedTile {
  tile: Region;
  channels: Streamed[];
}

/** Running sums of one channel. Means move by what a sample is off, so that thousands of layers lose no digits. */
class Running {
  private readonly weights: { all: Float64Array; a: Float64Array; b: Float64Array };
  private readonly means: { all: Float64Array; a: Float64Array; b: Float64Array };
  /** Σ w (x − mean)². */
  private readonly spread: Float64Array;
  private readonly least: Float32Array;
  private readonly most: Float32Array;
  private readonly coverage: Uint32Array;

  constructor(private readonly pixels: number) {
    const sums = () => new Float64Array(pixels);
    this.weights = { all: sums(), a: sums(), b: sums() };
    this.means = { all: sums(), a: sums(), b: sums() };
    this.spread = sums();
    this.least = new Float32Array(pixels).fill(Infinity);
    this.most = new Float32Array(pixels).fill(-Infinity);
    this.coverage = new Uint32Array(pixels);
  }

  /** Source: West 1979, Commun. ACM 22, 532 (weighted mean and sum of squares, updated sample by sample). */
  add(samples: Float32Array, weight: number | Float32Array, half: "A" | "B"): void {
    const { spread, least, most, coverage } = this;
    const [all, mean] = [this.weights.all, this.means.all];
    const [ofHalf, halfMean] = half === "A" ? [this.weights.a, this.means.a] : [this.weights.b, this.means.b];
    const constant = typeof weight === "number" ? weight : null;
    for (let p = 0; p < this.pixels; p++) {
      const v = samples[p];
      const w = constant ?? (weight as Float32Array)[p];
      if (v !== v || !(w > 0)) continue;
      const off = v - mean[p];
      const before = all[p];
      all[p] = before + w;
      const move = (off * w) / all[p];
      mean[p] += move;
      spread[p] += before * off * move;
      ofHalf[p] += w;
      halfMean[p] += ((v - halfMean[p]) * w) / ofHalf[p];
      if (v < least[p]) least[p] = v;
      if (v > most[p]) most[p] = v;
      coverage[p]++;
    }
  }

  result(): Streamed {
    const { weights, means, spread, coverage } = this;
    const known = (values: Float64Array, by: Float64Array) =>
      Float32Array.from(values, (v, p) => (by[p] > 0 ? v : NaN));
    const isThere = (values: Float32Array) => values.map((v, p) => (coverage[p] > 0 ? v : NaN));
    return {
      mean: known(means.all, weights.all),
      a: known(means.a, weights.a),
      b: known(means.b, weights.b),
      variance: Float32Array.from(spread, (v, p) =>
        coverage[p] > 1 ? (v / weights.all[p]) * (coverage[p] / (coverage[p] - 1)) : NaN,
      ),
      least: isThere(this.least),
      most: isThere(this.most),
      coverage,
    };
  }
}

/** Bytes a pixel and channel: of the sums, of the results that are made of them, and of a layer as it is read and placed. */
const [SUM_BYTES, RESULT_BYTES, LAYER_BYTES] = [7 * 8 + 3 * 4, 6 * 4, 2 * 4];

/** Takes layer after layer: sums, moments and extremes for thousands of layers within fixed memory. */
export const streaming: Combiner<StreamedLayers, StreamedTile> = {
  async run(layers, tiles, job: JobHandle, visit) {
    let peakBytes = 0;
    const create = reusedRasters();
    for (const [t, tile] of tiles.entries()) {
      const pixels = tile.width * tile.height;
      const sums = Array.from({ length: layers.channels }, () => new Running(pixels));
      for (let i = 0; i < layers.count; i++) {
        await job.breathe();
        const { planes } = await layers.read(i, tile, create);
        sums.forEach((sum, c) => sum.add(planes[c], layers.weight(i, tile, c), layers.half(i)));
        job.progress((t + (i + 1) / layers.count) / tiles.length);
      }
      peakBytes = Math.max(peakBytes, pixels * layers.channels * (SUM_BYTES + RESULT_BYTES + LAYER_BYTES));
      visit({ tile, channels: sums.map((sum) => sum.result()) });
    }
    return peakBytes;
  },
};

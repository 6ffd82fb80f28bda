import * as z from "zod";
import type { JobHandle } from "../job";
import { fitNoiseModel, sigmaAt, surroundings } from "../measure";
import type { Raster, Region } from "../raster";
import { medianInPlace } from "../raster";

/** How much stronger the noise is in places than it would be there at its level, on average: by channel at the centres of square cells, row by row. 1 in the middle of all. */
export const noiseGainMap = z.object({
  cell: z.number().positive(),
  columns: z.number().int().positive(),
  rows: z.number().int().positive(),
  shares: z.array(z.array(z.number().positive())),
});
export type NoiseGainMap = z.infer<typeof noiseGainMap>;

/** Cells of 64 px, larger where a picture would have more than so many to a side. */
const [CELL, MOST_CELLS] = [64, 64];
/** So many pixels in the middle rows of each cell are looked at, and about so many of them tell its noise: to some 4 %. */
const [LOOKED_AT, KEPT] = [2048, 1024];
/** Cells of which less than this share has data take what the others around them show. */
const LEAST_KNOWN = 0.2;
/** No less and no more than this is believed. */
const [LEAST, MOST] = [0.5, 4];

/** A band of rows of the untouched picture without gaps, and half the difference of its halves with them, in a step's channel mode. */
export interface Band {
  picture: Raster;
  noise: Raster;
}

/**
 * The noise over the field, as the halves show it: fewer subs reach the borders and corners, and
 * the flat field lifts these with their noise. In each cell the robust σ of (A − B)/2 over what
 * its level lets expect, then smoothed by
 * [1 2 1]² (of logarithms). Null for a picture of less than three cells a side, or without noise. Source: own.
 */
export async function measureNoiseGainMap(
  { width, height }: { width: number; height: number },
  read: (band: Region) => Promise<Band>,
  job: JobHandle,
): Promise<NoiseGainMap | null> {
  const cell = Math.max(CELL, Math.ceil(Math.max(width, height) / MOST_CELLS));
  const [columns, rows] = [Math.floor(width / cell), Math.floor(height / cell)];
  if (Math.min(columns, rows) < 3) return null;
  const high = Math.min(cell, Math.ceil(LOOKED_AT / cell));
  const cells: Pairs[][] = [];
  for (let row = 0; row < rows; row++) {
    await job.breathe();
    const y = row * cell + Math.floor((cell - high) / 2);
    const { picture, noise } = await read({ x: 0, y, width, height: high });
    for (const [c, plane] of picture.planes.entries()) {
      const level = surroundings(plane, width, high, job.kernels);
      const found = Array.from({ length: columns }, (_, k) =>
        pairsOf(level, noise.planes[c], width, high, k * cell, cell),
      );
      (cells[c] ??= []).push(...found);
    }
  }
  const shares = cells.map((channel) => {
    const model = fitNoiseModel(...together(channel));
    if (!(model.a > 0)) return null;
    const found = channel.map(({ level, noise }) => {
      if (noise.length < LEAST_KNOWN * KEPT) return NaN;
      const { sigma } = job.kernels.robustSpread(noise.map((v, i) => v / sigmaAt(model, level[i])));
      return Math.log(Math.min(MOST, Math.max(LEAST, sigma)));
    });
    const smooth = smoothed(completed(found, columns, rows), columns, rows);
    const middle = medianInPlace(Float64Array.from(smooth));
    return smooth.map((v) => Math.round(1000 * Math.exp(v - middle)) / 1000);
  });
  if (!shares.every((of) => of !== null)) return null;
  return { cell, columns, rows, shares };
}

/** Levels and the noise at each. */
interface Pairs {
  level: Float32Array;
  noise: Float32Array;
}

/** About KEPT pixels of a cell in a band that have data, spread evenly. */
function pairsOf(
  level: Float32Array,
  noise: Float32Array,
  width: number,
  high: number,
  x: number,
  cell: number,
): Pairs {
  const step = Math.max(1, Math.floor((high * cell) / KEPT));
  const [levels, noises] = [
    new Float32Array(high * Math.ceil(cell / step)),
    new Float32Array(high * Math.ceil(cell / step)),
  ];
  let n = 0;
  for (let v = 0; v < high; v++)
    for (let u = v % step; u < cell; u += step) {
      const i = v * width + x + u;
      if (noise[i] !== noise[i]) continue;
      levels[n] = level[i];
      noises[n++] = noise[i];
    }
  return { level: levels.slice(0, n), noise: noises.slice(0, n) };
}

/** Of more pairs than this every second, third … shows enough. */
const PAIRS = 4e5;

/** The pairs of all cells. */
function together(cells: readonly Pairs[]): [level: Float32Array, noise: Float32Array] {
  const step = Math.ceil(cells.reduce((sum, { noise }) => sum + noise.length, 0) / PAIRS);
  const gathered = (of: (pairs: Pairs) => Float32Array) => {
    const parts = cells.map((pairs) => of(pairs).filter((_, i) => i % step === 0));
    const out = new Float32Array(parts.reduce((sum, { length }) => sum + length, 0));
    parts.reduce((at, part) => (out.set(part, at), at + part.length), 0);
    return out;
  };
  return [gathered(({ level }) => level), gathered(({ noise }) => noise)];
}

/** Cells that are not known as those around them, outwards from what is; 0 where nothing is known. */
function completed(values: readonly number[], columns: number, rows: number): number[] {
  const missing = values.filter((v) => v !== v).length;
  if (missing === 0 || missing === values.length) return values.map((v) => (v === v ? v : 0));
  const around = smoothed(values, columns, rows);
  return completed(
    values.map((v, k) => (v === v ? v : around[k])),
    columns,
    rows,
  );
}

/** Means of 3 × 3 by [1 2 1]², over those that are known; NaN where none is. */
function smoothed(values: readonly number[], columns: number, rows: number): number[] {
  return values.map((_, k) => {
    const [x, y] = [k % columns, Math.floor(k / columns)];
    let [sum, weights] = [0, 0];
    for (let v = Math.max(0, y - 1); v <= Math.min(rows - 1, y + 1); v++)
      for (let u = Math.max(0, x - 1); u <= Math.min(columns - 1, x + 1); u++) {
        const value = values[v * columns + u];
        if (value !== value) continue;
        const weight = (u === x ? 2 : 1) * (v === y ? 2 : 1);
        sum += weight * value;
        weights += weight;
      }
    return sum / weights;
  });
}

/** How much stronger a channel's noise is in each pixel of a region: between centres of cells along straight lines, beyond the outermost as there. */
export function noiseGainOver({ cell, columns, rows, shares }: NoiseGainMap, c: number, region: Region): Float32Array {
  const { width, height } = region;
  const of = shares[c];
  const along = (at: number, count: number): [cell: number, share: number] => {
    const place = Math.max(0, Math.min(count - 1, (at + 0.5) / cell - 0.5));
    const first = Math.min(count - 2, Math.floor(place));
    return [first, place - first];
  };
  const places = Array.from({ length: width }, (_, i) => along(region.x + i, columns));
  const [from, share] = [Int32Array.from(places, ([k]) => k), Float64Array.from(places, ([, part]) => part)];
  const out = new Float32Array(width * height);
  const line = new Float64Array(columns);
  for (let y = 0, i = 0; y < height; y++) {
    const [row, down] = along(region.y + y, rows);
    for (let k = 0; k < columns; k++) line[k] = (1 - down) * of[row * columns + k] + down * of[(row + 1) * columns + k];
    for (let x = 0; x < width; x++, i++) {
      const left = line[from[x]];
      out[i] = left + share[x] * (line[from[x] + 1] - left);
    }
  }
  return out;
}

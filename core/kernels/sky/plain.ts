import { mirrorIndex } from "../../raster/raster";
import { CHUNK, robustSpread } from "../../raster/statistics";
import { checkPlane } from "../plane";
import { starletPlain } from "../starlet/plain";
import type { BandPeaks, MeshLevels, SkyKernels } from "./contract";
import { axisOf, BAND_CELL, checkMesh, COARSE_REACH, COARSE_TAPS, meshRow, quietOf, sampleStep } from "./contract";

export const skyPlain: SkyKernels = { bandPeaks, coarseAround, chunkMaxima };

function bandPeaks(
  plane: Float32Array,
  width: number,
  height: number,
  background: MeshLevels | null,
  least: (quiet: number) => number,
  into: Float32Array = new Float32Array(plane.length),
): BandPeaks {
  checkPlane(plane, width, height);
  const clean = withoutMesh(plane, width, height, background, into);
  const once = starletPlain.starletSmooth(clean, width, height, 0);
  const coarse = starletPlain.starletSmooth(starletPlain.starletSmooth(once, width, height, 1), width, height, 2);
  const band = once.map((v, i) => v - coarse[i]);
  const cells = cellsOf(band, width, height);
  const quiet = quietOf(cells);
  const bound = least(quiet);
  const at: number[] = [];
  for (let y = 2; y < height - 2; y++)
    for (let x = 2, i = y * width + x; x < width - 2; x++, i++)
      if (band[i] > bound && isPeak(band, width, i)) at.push(i);
  return {
    clean,
    cells,
    columns: Math.ceil(width / BAND_CELL),
    quiet,
    at: Int32Array.from(at),
    height: Float32Array.from(at, (i) => band[i]),
    ridge: Float32Array.from(at, (i) => ridgeShare(band, width, height, i)),
  };
}

function cellsOf(band: Float32Array, width: number, height: number): Float32Array {
  const step = sampleStep(width, height);
  const columns = Math.ceil(width / BAND_CELL);
  return Float32Array.from({ length: columns * Math.ceil(height / BAND_CELL) }, (_, k) => {
    const [x0, y0] = [(k % columns) * BAND_CELL, Math.floor(k / columns) * BAND_CELL];
    const values: number[] = [];
    for (let y = y0; y < Math.min(height, y0 + BAND_CELL); y += step)
      for (let x = x0; x < Math.min(width, x0 + BAND_CELL); x += step) values.push(band[y * width + x]);
    return robustSpread(Float32Array.from(values)).sigma;
  });
}

/** Of two neighbours with one value the one further down or to the right is the peak. */
const isPeak = (band: Float32Array, width: number, i: number): boolean =>
  [-1, -width, -width - 1, -width + 1].every((step) => band[i] >= band[i + step]) &&
  [1, width, width - 1, width + 1].every((step) => band[i] > band[i + step]);

/**
 * How much a peak is a ridge: along each of four axes the lower of the two values 4 px away, over the peak; the largest of
 * the four, at least 0. Near 0 for a star even beside another, near 1 on a filament.
 */
function ridgeShare(band: Float32Array, width: number, height: number, i: number): number {
  const x = i % width;
  const y = Math.floor(i / width);
  const at = (px: number, py: number): number =>
    px < 0 || py < 0 || px >= width || py >= height ? 0 : band[py * width + px];
  let most = 0;
  for (const [dx, dy] of [
    [4, 0],
    [0, 4],
    [3, 3],
    [3, -3],
  ])
    most = Math.max(most, Math.min(at(x + dx, y + dy), at(x - dx, y - dy)) / band[i]);
  return most;
}

function coarseAround(
  clean: Float32Array,
  width: number,
  height: number,
  x: number,
  y: number,
  reach: number,
): Float32Array {
  const side = 2 * reach + 1;
  return Float32Array.from({ length: side * side }, (_, k) => {
    const [cx, cy] = [x - reach + (k % side), y - reach + Math.floor(k / side)];
    let sum = 0;
    for (let v = -COARSE_REACH; v <= COARSE_REACH; v++) {
      const line = mirrorIndex(cy + v, height) * width;
      let row = 0;
      for (let u = -COARSE_REACH; u <= COARSE_REACH; u++)
        row += COARSE_TAPS[u + COARSE_REACH] * clean[line + mirrorIndex(cx + u, width)];
      sum += COARSE_TAPS[v + COARSE_REACH] * row;
    }
    return sum;
  });
}

function withoutMesh(
  plane: Float32Array,
  width: number,
  height: number,
  background: MeshLevels | null,
  out: Float32Array,
): Float32Array {
  const mesh = background ?? { columns: 1, rows: 1, level: new Float32Array(1) };
  checkMesh(mesh);
  const [xs, ys] = [axisOf(width, mesh.columns), axisOf(height, mesh.rows)];
  const line = new Float32Array(mesh.columns + 1);
  for (let y = 0, i = 0; y < height; y++) {
    meshRow(mesh, ys, y, line);
    for (let x = 0; x < width; x++, i++) {
      const from = line[xs.low[x]];
      const v = plane[i] - (from + (line[xs.low[x] + 1] - from) * xs.share[x]);
      out[i] = v === v ? v : 0;
    }
  }
  return out;
}

function chunkMaxima(values: Float32Array): Float32Array {
  const out = new Float32Array(Math.ceil(values.length / CHUNK)).fill(-Infinity);
  for (let i = 0; i < values.length; i++) {
    const k = Math.floor(i / CHUNK);
    if (values[i] > out[k]) out[k] = values[i];
  }
  return out;
}

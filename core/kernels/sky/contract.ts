import { quantile } from "../../raster/statistics";

/** A background on a mesh of cells over the picture, by rows; bilinear between cell centres and constant beyond the outermost. */
export interface MeshLevels {
  columns: number;
  rows: number;
  level: Float32Array;
}

/** Where stars may be: the places at which the matched band is higher than at their eight neighbours. */
export interface BandPeaks {
  /** The picture less its background; 0 where it was NaN. */
  clean: Float32Array;
  /** σ of the band in each cell of BAND_CELL px, row-major; 0 where there is no data. */
  cells: Float32Array;
  columns: number;
  /** σ in the quiet parts: the lower quartile over the cells with data; 0 where there are none. */
  quiet: number;
  /** By peak, from the top row on: its pixel, the band there, and how much of a ridge it is (ridgeShare). */
  at: Int32Array;
  height: Float32Array;
  ridge: Float32Array;
}

export interface SkyKernels {
  /**
   * Peaks of the matched band, the picture less `background` (null for none) smoothed once less the same smoothed three times (starlet scales 2 and 3),
   * that are higher than `least` says for the quiet σ. Within two pixels of the border there are none. The clean plane is written
   * into `into`, which may be the plane itself; besides it only bands of rows are held. Planes may hold NaN. RangeError for a plane or mesh of a wrong length.
   */
  bandPeaks(
    plane: Float32Array,
    width: number,
    height: number,
    background: MeshLevels | null,
    least: (quiet: number) => number,
    into?: Float32Array,
  ): BandPeaks;
  /** A plane without NaN smoothed three times, on the square of `reach` px about a pixel; mirrored beyond the border. */
  coarseAround(clean: Float32Array, width: number, height: number, x: number, y: number, reach: number): Float32Array;
  /** The largest value of each CHUNK values of a list, NaN left out; −∞ where there is none. */
  chunkMaxima(values: Float32Array): Float32Array;
}

/** Side of the cells by which the noise of the band is measured. */
export const BAND_CELL = 64;

/**
 * Every second pixel of every second row shows σ of a cell to 3 % (neighbours in the band are much
 * alike); with thousands of cells every fourth is
 * enough for their quartile.
 */
export const sampleStep = (width: number, height: number): number =>
  Math.ceil(width / BAND_CELL) * Math.ceil(height / BAND_CELL) > 1000 ? 4 : 2;

/** The quiet σ of cells; 0 where none has data. */
export const quietOf = (cells: Float32Array): number =>
  quantile(
    cells.filter((sigma) => sigma > 0),
    0.25,
  ) || 0;

/** Reach of three smoothings, and their 29 taps: B3 splines at distances 1, 2 and 4, one after the other. */
export const COARSE_REACH = 14;
export const COARSE_TAPS: Float32Array = [1, 2, 4].reduce((taps, step) => {
  const out = new Float32Array(taps.length + 4 * step);
  [1, 4, 6, 4, 1].forEach((w, k) => taps.forEach((v, i) => (out[i + k * step] += (v * w) / 16)));
  return out;
}, Float32Array.of(1));

/** For each of n pixels the cell centre before it and how far it lies on the way to the next. */
export function axisOf(n: number, cells: number): { low: Int32Array; share: Float32Array } {
  const low = new Int32Array(n);
  const share = new Float32Array(n);
  for (let i = 0; i < n; i++) {
    const at = Math.min(cells - 1, Math.max(0, ((i + 0.5) * cells) / n - 0.5));
    low[i] = Math.floor(at);
    share[i] = at - low[i];
  }
  return { low, share };
}

/** The mesh at the height of row y, one value a column and the last one twice, into `line`. */
export function meshRow(
  { columns, rows, level }: MeshLevels,
  { low, share }: ReturnType<typeof axisOf>,
  y: number,
  line: Float32Array,
): void {
  const top = low[y] * columns;
  const bottom = Math.min(rows - 1, low[y] + 1) * columns;
  for (let k = 0; k < columns; k++) line[k] = level[top + k] * (1 - share[y]) + level[bottom + k] * share[y];
  line[columns] = line[columns - 1];
}

export function checkMesh({ columns, rows, level }: MeshLevels): void {
  if (columns < 1 || rows < 1 || level.length !== columns * rows)
    throw new RangeError(`a mesh of ${columns} × ${rows} cells must hold as many levels, received ${level.length}`);
}

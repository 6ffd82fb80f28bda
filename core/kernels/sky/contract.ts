/** A background on a mesh of cells over the picture, by rows; bilinear between cell centres and constant beyond the outermost. */
export interface MeshLevels {
  columns: number;
  rows: number;
  level: Float32Array;
}

/** What stars are looked for in. */
export interface DetectionBands {
  /** The picture less its background; 0 where it was NaN. */
  clean: Float32Array;
  /** `clean` smoothed once less `clean` smoothed three times: starlet scales 2 and 3. */
  band: Float32Array;
  /** `clean` smoothed three times. */
  coarse: Float32Array;
}

export interface SkyKernels {
  /**
   * The bands of a plane less `background` (null for none). Planes may hold NaN. The clean plane is written into `into`, which may be the plane itself.
   * RangeError for a plane or mesh of a wrong length.
   */
  detectionBands(
    plane: Float32Array,
    width: number,
    height: number,
    background: MeshLevels | null,
    into?: Float32Array,
  ): DetectionBands;
  /** The largest value of each CHUNK values of a list, NaN left out; −∞ where there is none. */
  chunkMaxima(values: Float32Array): Float32Array;
}

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

import { solveSymmetric } from "../numeric/leastSquares";
import type { StatisticsKernels } from "../kernels";
import { SIGMA_PER_MAD, medianInPlace } from "../raster";

/** A background sampled on a mesh of square cells; cell (i, j) stands for its centre. */
export interface BackgroundMesh {
  cellPx: number;
  columns: number;
  rows: number;
  /** Smoothed by a 3 × 3 median; free of NaN. */
  level: Float32Array;
  /** As measured; NaN for cells without data. */
  raw: Float32Array;
  width: number;
  height: number;
}

/** Values of a cell that are looked at: enough to know its median to 4 % of σ. */
const CELL_SAMPLES = 900;

/**
 * Background of a plane on a mesh of `cellPx` cells: for each cell the values are clipped at 3 σ about the median; the level
 * is 2.5 median − 1.5 mean where the two are close (a crowded cell) and the median elsewhere; then a 3 × 3 median over the
 * mesh takes out cells that a bright object fills. Cells without data take the median of all; a plane without data is 0.
 * Source: Bertin & Arnouts 1996, A&AS 117, 393.
 */
export function measureBackground(
  plane: Float32Array,
  width: number,
  height: number,
  kernels: StatisticsKernels,
  cellPx = 64,
): BackgroundMesh {
  const columns = Math.max(1, Math.round(width / cellPx));
  const rows = Math.max(1, Math.round(height / cellPx));
  const raw = new Float32Array(columns * rows);
  const values = new Float32Array(Math.ceil(width / columns + 1) * Math.ceil(height / rows + 1));
  // Rows are left out where twice the samples that are needed remain.
  const rowStep = Math.max(1, Math.round(((width / columns) * (height / rows)) / (2 * CELL_SAMPLES)));
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < columns; i++) {
      let n = 0;
      const x1 = Math.floor(((i + 1) * width) / columns);
      const y1 = Math.floor(((j + 1) * height) / rows);
      for (let y = Math.floor((j * height) / rows); y < y1; y += rowStep)
        for (let x = Math.floor((i * width) / columns); x < x1; x++) values[n++] = plane[y * width + x];
      const { mean, median, sigma } = kernels.clippedMean(values.subarray(0, n), 3, 5, CELL_SAMPLES);
      raw[j * columns + i] = Math.abs(mean - median) < 0.3 * sigma ? 2.5 * median - 1.5 * mean : median;
    }
  return { cellPx, columns, rows, level: smoothMesh(raw, columns, rows), raw, width, height };
}

function smoothMesh(raw: Float32Array, columns: number, rows: number): Float32Array {
  const known = raw.filter((v) => v === v);
  const fallback = known.length > 0 ? medianInPlace(known.slice()) : 0;
  const around = new Float32Array(9);
  return raw.map((_, k) => {
    let n = 0;
    const x = k % columns;
    const y = Math.floor(k / columns);
    for (let dy = -1; dy <= 1; dy++)
      for (let dx = -1; dx <= 1; dx++) {
        const inside = x + dx >= 0 && y + dy >= 0 && x + dx < columns && y + dy < rows;
        const v = inside ? raw[(y + dy) * columns + x + dx] : NaN;
        if (v === v) around[n++] = v;
      }
    return n > 0 ? medianInPlace(around, n) : fallback;
  });
}

/** A plane level + slope: value(x, y) = level + dx · x + dy · y in pixel coordinates. */
export interface PlaneFit {
  level: number;
  dx: number;
  dy: number;
}

/**
 * The plane through a background mesh by least squares, cells further than 2.5 σ from it left out in three rounds. A mesh of
 * fewer than 4 cells gives a constant, its median.
 */
export function fitBackgroundPlane(mesh: BackgroundMesh): PlaneFit {
  const { columns, rows, level, raw, width, height } = mesh;
  const constant = { level: medianInPlace(level.slice()), dx: 0, dy: 0 };
  if (columns < 2 || rows < 2) return constant;
  const points = Array.from(raw, (z, k) => ({
    u: ((k % columns) + 0.5) / columns - 0.5,
    v: (Math.floor(k / columns) + 0.5) / rows - 0.5,
    z,
  })).filter(({ z }) => z === z);
  if (points.length < 4) return constant;
  let kept = points;
  let fit = [constant.level, 0, 0];
  for (let round = 0; round < 4; round++) {
    const normal = new Float64Array(9);
    const right = new Float64Array(3);
    for (const { u, v, z } of kept)
      [1, u, v].forEach((p, a) => {
        right[a] += p * (z - constant.level);
        [1, u, v].forEach((q, b) => (normal[a * 3 + b] += p * q));
      });
    const solution = solveSymmetric(normal, right);
    if (!solution) return constant;
    fit = [solution[0] + constant.level, solution[1], solution[2]];
    const off = ({ u, v, z }: (typeof points)[number]) => Math.abs(z - fit[0] - fit[1] * u - fit[2] * v);
    const limit = 2.5 * SIGMA_PER_MAD * medianInPlace(Float64Array.from(points, off));
    const next = points.filter((point) => off(point) <= limit);
    if (next.length < 4) break;
    kept = next;
  }
  const dx = fit[1] / width;
  const dy = fit[2] / height;
  return { level: fit[0] - (dx * (width - 1)) / 2 - (dy * (height - 1)) / 2, dx, dy };
}

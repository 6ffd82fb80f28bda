import type { GridPlaces, Levels, MeshPlaces, ResampleKernels, WeightTable } from "./contract";
import { blocksOf, checkMesh, checkPlaces, isNear } from "./contract";

export const resamplePlain: ResampleKernels = { resample, resampleMesh };

function resample(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  table: WeightTable,
  places: GridPlaces,
  levels: readonly Levels[],
  into?: readonly Float32Array[],
): Float32Array[] {
  checkPlaces(planes, width, height, places, levels);
  const blocks = blocksOf(places);
  return planes.map((plane, p) => {
    const { scale, level, dx, dy } = levels[p];
    const out = into?.[p] ?? new Float32Array(places.columns * places.rows);
    blocks.forEach((block, k) => {
      const at = places.matrices.subarray(6 * k, 6 * k + 6);
      const [a, b, c, d, e, f] = at;
      // How far a row of the source above or below shifts the place, where the kernel leans.
      const lean = isNear(at, table.taps) ? b / e : 0;
      for (let j = block.j; j < block.j + block.height; j++)
        for (let i = block.i; i < block.i + block.width; i++) {
          const value = valueAt(plane, width, height, table, a * i + (b * j + c), d * i + (e * j + f), lean);
          out[j * places.columns + i] = value * scale + (level + dx * i + dy * j);
        }
    });
    return out;
  });
}

function resampleMesh(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  table: WeightTable,
  places: MeshPlaces,
  levels: readonly Levels[],
  into?: readonly Float32Array[],
): Float32Array[] {
  checkMesh(planes, width, height, places, levels);
  const { columns, rows, matrix, nodes, u, v, perPx } = places;
  const [a, b, c, d, e, f] = matrix;
  const nodesOf = (k: number, count: number) => Math.min(count - 1, Math.max(0, k));
  const across = [nodes.dx, nodes.dy].map(() => new Float64Array(nodes.columns));
  return planes.map((plane, p) => {
    const { scale, level, dx, dy } = levels[p];
    const out = into?.[p] ?? new Float32Array(columns * rows);
    for (let j = 0; j < rows; j++) {
      const row = v + j * perPx;
      const top = Math.floor(row);
      const wy = splineAt(row - top);
      [nodes.dx, nodes.dy].forEach((values, axis) => {
        for (let k = 0; k < nodes.columns; k++)
          across[axis][k] = wy.reduce(
            (sum, w, n) => sum + w * values[nodesOf(top - 1 + n, nodes.rows) * nodes.columns + k],
            0,
          );
      });
      for (let i = 0; i < columns; i++) {
        const column = u + i * perPx;
        const left = Math.floor(column);
        const wx = splineAt(column - left);
        const [ax, ay] = across.map((values) =>
          wx.reduce((sum, w, m) => sum + w * values[nodesOf(left - 1 + m, nodes.columns)], 0),
        );
        const value = valueAt(plane, width, height, table, a * i + b * j + c + ax, d * i + e * j + f + ay, 0);
        out[j * columns + i] = value * scale + (level + dx * i + dy * j);
      }
    }
    return out;
  });
}

/** Weights of the cubic B-spline's four coefficients around a place `t` past the second. */
const splineAt = (t: number): [number, number, number, number] => {
  const [square, cube] = [t * t, t * t * t];
  return [(1 - t) ** 3 / 6, (3 * cube - 6 * square + 4) / 6, (-3 * cube + 3 * square + 3 * t + 1) / 6, cube / 6];
};

/** `taps` × `taps` samples, those beyond the border repeating the border pixel, raised to the least of the inner 4 × 4. */
function valueAt(
  plane: Float32Array,
  width: number,
  height: number,
  { taps, phases, weights }: WeightTable,
  x: number,
  y: number,
  lean: number,
): number {
  if (!(x >= -0.5 && y >= -0.5 && x <= width - 0.5 && y <= height - 0.5)) return NaN;
  const before = taps / 2 - 1;
  const inner = taps / 2 - 2;
  const top = Math.floor(y) - before;
  const wy = Math.round((y - Math.floor(y)) * phases) * taps;
  let value = 0;
  let least = Infinity;
  for (let j = 0; j < taps; j++) {
    const line = Math.min(height - 1, Math.max(0, top + j)) * width;
    const place = x + lean * (top + j - y);
    const left = Math.floor(place) - before;
    const wx = Math.round((place - Math.floor(place)) * phases) * taps;
    let row = 0;
    for (let k = 0; k < taps; k++) {
      const sample = plane[line + Math.min(width - 1, Math.max(0, left + k))];
      row += sample * weights[wx + k];
      const near = j >= inner && j < inner + 4 && k >= inner && k < inner + 4;
      if (near && sample < least) least = sample;
    }
    value += row * weights[wy + j];
  }
  return value < least ? least : value;
}

import type { MeshPlaces } from "../kernels";
import type { Region } from "../raster";
import { growRegion, intersectRegions, wholeRegion } from "../raster";
import { RESAMPLING_REACH } from "./reach";
import type { LinearWarp } from "./warp";

/**
 * Where pixels of a grid lie in a source: a linear warp, plus displacements that are a cubic
 * B-spline over a mesh of square cells. Node (i, j) stands at (x + i step, y + j step) of the grid.
 * Typed arrays: too large to be posted or stored with each use, so that messages name it by an id.
 */
export interface Mesh {
  kind: "mesh";
  /** From the grid to the source. */
  base: LinearWarp;
  x: number;
  y: number;
  step: number;
  columns: number;
  rows: number;
  /** Coefficients of the spline along x and y, px of the source, row by row. */
  dx: Float32Array;
  dy: Float32Array;
}

/** The pole of the cubic B-spline's filter. */
const POLE = Math.sqrt(3) - 2;

/** Nodes beyond the region on each side: what is not known past the last of them has faded to 1e-3 at the region's border. */
const BEYOND = 6;

/**
 * A mesh over a region of a grid whose displacements at the nodes are `at`, which is asked up to six
 * steps beyond the region. Between the nodes they are smooth (twice differentiable), off by about
 * step⁴/384 times their fourth derivative. Throws RangeError for a step that is not positive.
 * Source: Unser, Aldroubi & Eden 1993, IEEE Trans. Signal Process. 41, 821 (interpolation by B-splines).
 */
export function meshOver(
  { x, y, width, height }: Region,
  step: number,
  base: LinearWarp,
  at: (x: number, y: number) => readonly [dx: number, dy: number],
): Mesh {
  if (!(step > 0)) throw new RangeError(`the step of a mesh must be positive, received ${step}`);
  const [columns, rows] = [width, height].map((length) => Math.ceil(length / step) + 1 + 2 * BEYOND);
  const [left, top] = [x - BEYOND * step, y - BEYOND * step];
  const values = Array.from({ length: columns * rows }, (_, k) =>
    at(left + (k % columns) * step, top + Math.floor(k / columns) * step),
  );
  const [dx, dy] = [0, 1].map((k) =>
    splineCoefficients(
      Float64Array.from(values, (value) => value[k]),
      columns,
      rows,
    ),
  );
  return { kind: "mesh", base, x: left, y: top, step, columns, rows, dx, dy };
}

/** Values at nodes as coefficients of the spline through them, mirrored at the borders. */
function splineCoefficients(values: Float64Array, columns: number, rows: number): Float32Array {
  const line = (start: number, stride: number, count: number): void => {
    if (count < 2) return;
    const at = (k: number) => start + k * stride;
    // Mirrored: the sum over the line and back stands for the endless one.
    let first = 0;
    for (let k = 0, power = 1; k < 2 * count - 2; k++, power *= POLE)
      first += power * values[at(k < count ? k : 2 * count - 2 - k)];
    values[at(0)] = first / (1 - POLE ** (2 * count - 2));
    for (let k = 1; k < count; k++) values[at(k)] += POLE * values[at(k - 1)];
    const last = at(count - 1);
    values[last] = (POLE / (POLE * POLE - 1)) * (values[last] + POLE * values[at(count - 2)]);
    for (let k = count - 2; k >= 0; k--) values[at(k)] = POLE * (values[at(k + 1)] - values[at(k)]);
    for (let k = 0; k < count; k++) values[at(k)] *= 6;
  };
  for (let j = 0; j < rows; j++) line(j * columns, 1, columns);
  for (let i = 0; i < columns; i++) line(i, columns, rows);
  return Float32Array.from(values);
}

/** Weights of the four coefficients around a place `t` (0 … 1) past the second. */
const splineWeights = (t: number): [number, number, number, number] => [
  (1 - t) ** 3 / 6,
  (3 * t ** 3 - 6 * t ** 2 + 4) / 6,
  (-3 * t ** 3 + 3 * t ** 2 + 3 * t + 1) / 6,
  t ** 3 / 6,
];

/** Where a point of the grid lies in the source. Beyond the mesh its outermost nodes go on. */
export function meshPoint({ base, x: left, y: top, step, columns, rows, dx, dy }: Mesh, x: number, y: number) {
  const [u, v] = [(x - left) / step, (y - top) / step];
  const [i, j] = [Math.floor(u), Math.floor(v)];
  const [wx, wy] = [splineWeights(u - i), splineWeights(v - j)];
  let [sumX, sumY] = [0, 0];
  for (let n = 0; n < 4; n++)
    for (let m = 0; m < 4; m++) {
      const k = clamp(j - 1 + n, rows) * columns + clamp(i - 1 + m, columns);
      sumX += wy[n] * wx[m] * dx[k];
      sumY += wy[n] * wx[m] * dy[k];
    }
  const [a, b, c, d, e, f] = base.matrix;
  return [a * x + b * y + c + sumX, d * x + e * y + f + sumY] as [number, number];
}

const clamp = (k: number, count: number) => Math.min(count - 1, Math.max(0, k));

/**
 * The part of a source of that size under a region of the grid: by the extremes of the coefficients
 * there, which a B-spline does not leave.
 */
export function meshSource(output: Region, mesh: Mesh, size: { width: number; height: number }): Region {
  const { base, step, columns, rows, dx, dy } = mesh;
  const span = (from: number, length: number, origin: number, count: number) =>
    [Math.floor((from - origin) / step) - 1, Math.floor((from + length - 1 - origin) / step) + 2].map((k) =>
      clamp(k, count),
    );
  const [i0, i1] = span(output.x, output.width, mesh.x, columns);
  const [j0, j1] = span(output.y, output.height, mesh.y, rows);
  let [lowX, highX, lowY, highY] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let j = j0; j <= j1; j++)
    for (let i = i0; i <= i1; i++) {
      const k = j * columns + i;
      lowX = Math.min(lowX, dx[k]);
      highX = Math.max(highX, dx[k]);
      lowY = Math.min(lowY, dy[k]);
      highY = Math.max(highY, dy[k]);
    }
  const [a, b, c, d, e, f] = base.matrix;
  const corners = [output.x, output.x + output.width - 1].flatMap((x) =>
    [output.y, output.y + output.height - 1].map((y) => [a * x + b * y + c, d * x + e * y + f]),
  );
  const bounds = (k: 0 | 1, low: number, high: number) => [
    Math.floor(Math.min(...corners.map((corner) => corner[k])) + low),
    Math.ceil(Math.max(...corners.map((corner) => corner[k])) + high),
  ];
  const [x0, x1] = bounds(0, lowX, highX);
  const [y0, y1] = bounds(1, lowY, highY);
  const box = { x: x0, y: y0, width: x1 - x0 + 1, height: y1 - y0 + 1 };
  return intersectRegions(growRegion(box, RESAMPLING_REACH), wholeRegion(size));
}

/** A mesh as the kernels take it, for a region of the grid; places count from (originX, originY) of the source. */
export function meshPlaces(mesh: Mesh, originX: number, originY: number, { x, y, width, height }: Region): MeshPlaces {
  const { base, step, columns, rows, dx, dy } = mesh;
  const [a, b, c, d, e, f] = base.matrix;
  return {
    columns: width,
    rows: height,
    matrix: [a, b, a * x + b * y + c - originX, d, e, d * x + e * y + f - originY],
    nodes: { columns, rows, dx, dy },
    u: (x - mesh.x) / step,
    v: (y - mesh.y) / step,
    perPx: 1 / step,
  };
}

import { solveSymmetric } from "../numeric/leastSquares";
import type { Matrix, PolynomialWarp, Warp } from "./warp";
import { powersInto, projective, shiftBy, termsOf } from "./warp";

/** Kinds of warps that are fitted to pairs of points, the simplest first. */
export const WARP_MODELS = ["shift", "similarity", "affine", "projective", "quadratic", "cubic"] as const;
export type WarpModel = (typeof WARP_MODELS)[number];

type Point = { x: number; y: number };
export type PointPairs = readonly (readonly [Point, Point])[];

/** Pairs that fix each model, without any to spare. */
const LEAST: Record<WarpModel, number> = { shift: 1, similarity: 2, affine: 3, projective: 4, quadratic: 6, cubic: 10 };

/** Least-squares warp of weighted pairs of points (source, target); null where they do not fix one. */
export function fitWarp(pairs: PointPairs, model: WarpModel, weights: number[] = pairs.map(() => 1)): Warp | null {
  if (pairs.length < LEAST[model]) return null;
  switch (model) {
    case "shift":
    case "similarity":
    case "affine":
      return fitLinear(pairs, model, weights);
    case "projective":
      return fitProjective(pairs, weights);
    case "quadratic":
      return fitPolynomial(pairs, 2, weights);
    case "cubic":
      return fitPolynomial(pairs, 3, weights);
  }
}

function fitLinear(pairs: PointPairs, model: "shift" | "similarity" | "affine", weights: number[]): Warp | null {
  const total = weights.reduce((a, b) => a + b, 0);
  const mean = [0, 0, 0, 0];
  pairs.forEach(([p, q], i) => [p.x, p.y, q.x, q.y].forEach((v, k) => (mean[k] += (v * weights[i]) / total)));
  if (model === "shift") return shiftBy(mean[2] - mean[0], mean[3] - mean[1]);
  let xx = 0;
  let xy = 0;
  let yy = 0;
  let ux = 0;
  let uy = 0;
  let vx = 0;
  let vy = 0;
  pairs.forEach(([p, q], i) => {
    const x = p.x - mean[0];
    const y = p.y - mean[1];
    const u = (q.x - mean[2]) * weights[i];
    const v = (q.y - mean[3]) * weights[i];
    xx += x * x * weights[i];
    xy += x * y * weights[i];
    yy += y * y * weights[i];
    ux += u * x;
    uy += u * y;
    vx += v * x;
    vy += v * y;
  });
  let turn: [number, number, number, number];
  if (model === "similarity") {
    const norm = xx + yy;
    if (!(norm > 0)) return null;
    const c = (ux + vy) / norm;
    const s = (vx - uy) / norm;
    turn = [c, -s, s, c];
  } else {
    const normal = Float64Array.from([xx, xy, xy, yy]);
    const first = solveSymmetric(normal, Float64Array.from([ux, uy]));
    const second = solveSymmetric(normal, Float64Array.from([vx, vy]));
    if (!first || !second) return null;
    turn = [first[0], first[1], second[0], second[1]];
  }
  const [a, b, d, e] = turn;
  const matrix: Matrix = [a, b, mean[2] - a * mean[0] - b * mean[1], d, e, mean[3] - d * mean[0] - e * mean[1]];
  return { kind: model, matrix };
}

/** Centre and half extent of points, to which polynomials and homographies are referred so that sums stay well conditioned. */
function frameOf(points: readonly Point[]): { centre: [number, number]; radius: number } {
  const of = (value: (point: Point) => number): [number, number] => {
    const values = points.map(value);
    const least = values.reduce((a, b) => Math.min(a, b));
    const most = values.reduce((a, b) => Math.max(a, b));
    return [(least + most) / 2, (most - least) / 2];
  };
  const [[cx, rx], [cy, ry]] = [of(({ x }) => x), of(({ y }) => y)];
  return { centre: [cx, cy], radius: Math.max(rx, ry, 1e-9) };
}

/** Sums the weighted normal equations of rows and solves them; null where they are singular. */
function solveRows(
  size: number,
  rows: Iterable<{ row: Float64Array; value: number; weight: number }>,
): Float64Array | null {
  const normal = new Float64Array(size * size);
  const right = new Float64Array(size);
  for (const { row, value, weight } of rows)
    for (let i = 0; i < size; i++) {
      right[i] += weight * row[i] * value;
      for (let j = 0; j < size; j++) normal[i * size + j] += weight * row[i] * row[j];
    }
  return solveSymmetric(normal, right);
}

/**
 * A homography: the linear equations in its eight numbers, in coordinates about the points' centres, solved thrice with the weights divided by
 * the denominators squared, so that distances in the picture are made least. Source: Hartley & Zisserman, Multiple View Geometry, 4.1 and 4.4.
 */
function fitProjective(pairs: PointPairs, weights: number[]): Warp | null {
  const from = frameOf(pairs.map(([p]) => p));
  const to = frameOf(pairs.map(([, q]) => q));
  const points = pairs.map(([p, q]) => ({
    x: (p.x - from.centre[0]) / from.radius,
    y: (p.y - from.centre[1]) / from.radius,
    u: (q.x - to.centre[0]) / to.radius,
    v: (q.y - to.centre[1]) / to.radius,
  }));
  let h: Float64Array | null = null;
  for (let round = 0; round < 3; round++) {
    const rows = points.flatMap(({ x, y, u, v }, i) => {
      const w = h ? h[6] * x + h[7] * y + 1 : 1;
      const weight = weights[i] / (w * w);
      return [
        { row: Float64Array.of(x, y, 1, 0, 0, 0, -u * x, -u * y), value: u, weight },
        { row: Float64Array.of(0, 0, 0, x, y, 1, -v * x, -v * y), value: v, weight },
      ];
    });
    h = solveRows(8, rows);
    if (!h) return null;
  }
  if (!h) return null;
  const [a, b, c, d, e, f, g, k] = h;
  const [s, [fx, fy]] = [1 / from.radius, from.centre];
  // Columns referred back to px of the source, then rows to px of the target.
  const column = (p: number, q: number, r: number) => [p * s, q * s, r - (p * fx + q * fy) * s];
  const [top, middle, last] = [column(a, b, c), column(d, e, f), column(g, k, 1)];
  return projective([
    ...top.map((v, i) => v * to.radius + last[i] * to.centre[0]),
    ...middle.map((v, i) => v * to.radius + last[i] * to.centre[1]),
    ...last,
  ]);
}

/** Polynomials from the target to the source, the way in which pixels are looked up, so that resampling needs no inverse. */
function fitPolynomial(pairs: PointPairs, degree: 2 | 3, weights: number[]): PolynomialWarp | null {
  const { centre, radius } = frameOf(pairs.map(([, q]) => q));
  const size = termsOf(degree);
  const rowsOf = (value: (source: Point) => number) =>
    pairs.map(([p, q], i) => {
      const row = new Float64Array(size);
      powersInto(row, (q.x - centre[0]) / radius, (q.y - centre[1]) / radius, degree);
      return { row, value: value(p), weight: weights[i] };
    });
  const x = solveRows(
    size,
    rowsOf((p) => p.x),
  );
  const y = solveRows(
    size,
    rowsOf((p) => p.y),
  );
  return x && y && { kind: "polynomial", degree, inverted: true, centre, radius, x: [...x], y: [...y] };
}

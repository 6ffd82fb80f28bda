import { checkPlane } from "../plane";
import type { VariationKernels } from "./contract";
import { mirrored } from "../../raster/mirrored";
import { momenta, SECOND_MARGIN, SECOND_STEP } from "./contract";

export const variationPlain: VariationKernels = { totalVariation, secondVariation };

function totalVariation(
  plane: Float32Array,
  width: number,
  height: number,
  { weight, iterations }: Parameters<VariationKernels["totalVariation"]>[3],
): Float32Array {
  checkPlane(plane, width, height);
  if (!(weight > 0)) return plane.slice();
  const n = plane.length;
  const [px, py, qx, qy] = [0, 1, 2, 3].map(() => new Float64Array(n));
  const x = new Float64Array(n);
  /** x = y + weight · div of dual variables. */
  const primal = (ax: Float64Array, ay: Float64Array) => {
    for (let i = 0; i < n; i++) {
      const left = i % width > 0 ? ax[i - 1] : 0;
      const above = i >= width ? ay[i - width] : 0;
      x[i] = plane[i] + weight * (ax[i] - left + ay[i] - above);
    }
  };
  for (const carried of momenta(iterations)) {
    primal(qx, qy);
    for (let i = 0; i < n; i++) {
      const gx = i % width < width - 1 ? x[i + 1] - x[i] : 0;
      const gy = i + width < n ? x[i + width] - x[i] : 0;
      const [ux, uy] = [qx[i] + gx / (8 * weight), qy[i] + gy / (8 * weight)];
      const length = Math.max(1, Math.hypot(ux, uy));
      const [nx, ny] = [ux / length, uy / length];
      qx[i] = nx + carried * (nx - px[i]);
      qy[i] = ny + carried * (ny - py[i]);
      px[i] = nx;
      py[i] = ny;
    }
  }
  primal(px, py);
  return Float32Array.from(x);
}

function secondVariation(
  plane: Float32Array,
  width: number,
  height: number,
  { weight, bend, iterations }: Parameters<VariationKernels["secondVariation"]>[3],
): Float32Array {
  checkPlane(plane, width, height);
  if (!(weight > 0)) return plane.slice();
  const { grown: y, pitch, rows } = mirrored(plane, width, height, SECOND_MARGIN);
  const n = pitch * rows;
  const zeros = (count: number) => Array.from({ length: count }, () => new Float64Array(n));
  const [x, xb] = [Float64Array.from(y), Float64Array.from(y)];
  const [w1, w2, w1b, w2b, p1, p2, q1, q2, q3] = zeros(9);
  const at = (of: Float64Array, i: number) => of[i] ?? 0;
  const drawnBack = (length: number, radius: number) => radius / Math.max(radius, length);
  for (let round = 0; round < iterations; round++) {
    for (let i = 0; i < n; i++) {
      const px = p1[i] + SECOND_STEP * (at(xb, i + 1) - xb[i] - w1b[i]);
      const py = p2[i] + SECOND_STEP * (at(xb, i + pitch) - xb[i] - w2b[i]);
      const by = drawnBack(Math.hypot(px, py), weight);
      [p1[i], p2[i]] = [px * by, py * by];
      const a = q1[i] + SECOND_STEP * (w1b[i] - at(w1b, i - 1));
      const b = q2[i] + SECOND_STEP * (w2b[i] - at(w2b, i - pitch));
      const c = q3[i] + (SECOND_STEP / 2) * (w1b[i] - at(w1b, i - pitch) + w2b[i] - at(w2b, i - 1));
      const of = drawnBack(Math.sqrt(a * a + b * b + 2 * c * c), bend * weight);
      [q1[i], q2[i], q3[i]] = [a * of, b * of, c * of];
    }
    for (let i = 0; i < n; i++) {
      const div = p1[i] - at(p1, i - 1) + p2[i] - at(p2, i - pitch);
      const next = (x[i] + SECOND_STEP * (div + y[i])) / (1 + SECOND_STEP);
      [xb[i], x[i]] = [2 * next - x[i], next];
      const u = w1[i] + SECOND_STEP * (p1[i] + at(q1, i + 1) - q1[i] + at(q3, i + pitch) - q3[i]);
      const v = w2[i] + SECOND_STEP * (p2[i] + at(q3, i + 1) - q3[i] + at(q2, i + pitch) - q2[i]);
      [w1b[i], w2b[i]] = [2 * u - w1[i], 2 * v - w2[i]];
      [w1[i], w2[i]] = [u, v];
    }
  }
  return Float32Array.from(
    plane,
    (_, i) => x[(Math.floor(i / width) + SECOND_MARGIN) * pitch + SECOND_MARGIN + (i % width)],
  );
}

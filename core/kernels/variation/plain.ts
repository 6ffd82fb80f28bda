import { checkPlane } from "../plane";
import type { VariationKernels } from "./contract";
import { momenta } from "./contract";

export const variationPlain: VariationKernels = { totalVariation };

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

import { mirrorIndex } from "../../raster/raster";
import { checkPlane } from "../plane";
import type { PatchKernels } from "./contract";

/** Patches further apart than e^−80 count for nothing. */
const FARTHEST = 80;

export const patchesPlain: PatchKernels = { nonLocalMeans, bilateral };

function nonLocalMeans(
  plane: Float32Array,
  width: number,
  height: number,
  { patch, search, h, noiseDistance }: Parameters<PatchKernels["nonLocalMeans"]>[3],
): Float32Array {
  checkPlane(plane, width, height);
  const at = (x: number, y: number) => plane[mirrorIndex(y, height) * width + mirrorIndex(x, width)];
  const area = (2 * patch + 1) ** 2;
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let [sum, weights, most] = [0, 0, 0];
      for (let dy = -search; dy <= search; dy++)
        for (let dx = -search; dx <= search; dx++) {
          if (dx === 0 && dy === 0) continue;
          let squares = 0;
          for (let v = -patch; v <= patch; v++)
            for (let u = -patch; u <= patch; u++) squares += (at(x + u, y + v) - at(x + u + dx, y + v + dy)) ** 2;
          const far = Math.max(0, squares / area - noiseDistance) / (h * h);
          const weight = far < FARTHEST ? Math.exp(-far) : 0;
          sum += weight * at(x + dx, y + dy);
          weights += weight;
          if (weight > most) most = weight;
        }
      const own = most > 0 ? most : 1;
      out[y * width + x] = (sum + own * plane[y * width + x]) / (weights + own);
    }
  return out;
}

function bilateral(
  plane: Float32Array,
  width: number,
  height: number,
  { radius, range }: Parameters<PatchKernels["bilateral"]>[3],
): Float32Array {
  checkPlane(plane, width, height);
  const out = new Float32Array(plane.length);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const here = plane[y * width + x];
      let [sum, weights] = [0, 0];
      for (let dy = -radius; dy <= radius; dy++)
        for (let dx = -radius; dx <= radius; dx++) {
          const r2 = dx * dx + dy * dy;
          if (r2 > radius * radius) continue;
          const value = plane[mirrorIndex(y + dy, height) * width + mirrorIndex(x + dx, width)];
          const weight = Math.exp((-2 * r2) / (radius * radius) - (value - here) ** 2 / (2 * range * range));
          sum += weight * value;
          weights += weight;
        }
      out[y * width + x] = sum / weights;
    }
  return out;
}

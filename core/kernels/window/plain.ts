import { mirrorIndex } from "../../raster/raster";
import { checkPlane } from "../plane";
import type { WindowKernels } from "./contract";
import { checkTaps } from "./contract";

export const windowPlain: WindowKernels = { correlate };

function correlate(plane: Float32Array, width: number, height: number, taps: Float32Array, side: number): Float32Array {
  checkPlane(plane, width, height);
  checkTaps(taps, side);
  const reach = (side - 1) / 2;
  const out = new Float32Array(plane.length);
  const columns = Int32Array.from({ length: width + 2 * reach }, (_, x) => mirrorIndex(x - reach, width));
  for (let y = 0; y < height; y++) {
    const rows = Int32Array.from({ length: side }, (_, v) => mirrorIndex(y + v - reach, height) * width);
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let v = 0, k = 0; v < side; v++)
        for (let u = 0; u < side; u++, k++)
          sum = Math.fround(sum + Math.fround(taps[k] * plane[rows[v] + columns[x + u]]));
      out[y * width + x] = sum;
    }
  }
  return out;
}

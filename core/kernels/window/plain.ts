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
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let k = 0; k < taps.length; k++) {
        const row = mirrorIndex(y + Math.floor(k / side) - reach, height) * width;
        sum = Math.fround(sum + Math.fround(taps[k] * plane[row + mirrorIndex(x + (k % side) - reach, width)]));
      }
      out[y * width + x] = sum;
    }
  return out;
}

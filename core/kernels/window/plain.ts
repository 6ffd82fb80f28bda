import { mirrorIndex } from "../../raster/raster";
import { checkPlane } from "../plane";
import type { WindowKernels } from "./contract";
import { checkReach, checkTaps, negated } from "./contract";

export const windowPlain: WindowKernels = {
  correlate,
  leastAround,
  mostAround: (plane, width, height, reach) => negated(leastAround(negated(plane), width, height, reach)),
};

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

/** In three looks at each sample however far. Source: van Herk 1992, Pattern Recognit. Lett. 13, 517. */
function leastAround(plane: Float32Array, width: number, height: number, reach: number): Float32Array {
  checkPlane(plane, width, height);
  checkReach(reach);
  return leastAlong(leastAlong(plane, width, height, reach), height, width, reach);
}

/** The least along each row, columns for rows. */
function leastAlong(from: Float32Array, length: number, lines: number, reach: number): Float32Array {
  const out = new Float32Array(from.length);
  const wide = 2 * reach + 1;
  const count = Math.ceil((length + 2 * reach) / wide) * wide;
  const places = Int32Array.from({ length: count }, (_, k) => mirrorIndex(k - reach, length));
  const [line, before, after] = [0, 1, 2].map(() => new Float32Array(count));
  for (let n = 0; n < lines; n++) {
    // Within blocks as long as the window: the least of all before a place, and of all after it. A window is the end of one block and the beginning of the next.
    for (let k = 0; k < count; k++) line[k] = from[n * length + places[k]];
    for (let k = 0; k < count; k++) before[k] = k % wide === 0 ? line[k] : Math.min(before[k - 1], line[k]);
    for (let k = count - 1; k >= 0; k--) after[k] = k % wide === wide - 1 ? line[k] : Math.min(after[k + 1], line[k]);
    for (let k = 0; k < length; k++) out[k * lines + n] = Math.min(after[k], before[k + wide - 1]);
  }
  return out;
}

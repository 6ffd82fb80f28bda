import type { LineKernels } from "./contract";
import { columnsOf } from "./contract";

export const linesPlain: LineKernels = {
  lineSums(plane, width, height) {
    const { values, size, rows } = columnsOf(plane, width, height);
    let current: Float32Array = values;
    let next: Float32Array = new Float32Array(rows * size);
    // In the table: strip by strip, in each the rises 0 … strip − 1.
    for (let strip = 1; strip < size; strip *= 2) {
      for (let from = 0; from < size; from += 2 * strip)
        for (let rise = 0; rise < 2 * strip; rise++) {
          const half = rise >> 1;
          const shift = half + (rise & 1);
          const left = (from + half) * rows;
          const right = (from + strip + half) * rows + shift;
          const to = (from + rise) * rows;
          const end = rows - shift;
          for (let y = 0; y < end; y++) next[to + y] = current[left + y] + current[right + y];
          for (let y = end; y < rows; y++) next[to + y] = current[left + y];
        }
      [current, next] = [next, current];
    }
    return { values: current, size, rows };
  },
};

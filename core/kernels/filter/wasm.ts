import { mirrorIndex } from "../../raster/raster";
import type { WasmModule } from "../arena";
import { openArena, pitchFor } from "../arena";
import { checkPsf } from "../convolution/contract";
import { checkPlane } from "../plane";
import type { FilterKernels } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  filterRow(rows: number, dst: number, pixels: number, taps: number, size: number): void;
}

export function filterWasm(module: WasmModule): FilterKernels {
  const wasm = module as Exports;
  return {
    filterSmall(plane, width, height, filter) {
      checkPlane(plane, width, height);
      checkPsf(filter);
      const { size, values } = filter;
      const reach = size >> 1;
      const arena = openArena(wasm);
      const pitch = pitchFor(width + 2 * reach);
      // Whole groups of 16 pixels are read and written, the last one beyond the row.
      const grown = arena.take(pitch * (height + 2 * reach) + 16);
      const dst = arena.take(pitchFor(width) + 16);
      const taps = arena.take(4 * size * size);
      const rows = arena.take(size);
      arena.ensure();
      arena.writeFloats(
        taps,
        Float32Array.from({ length: 4 * size * size }, (_, k) => values[k >> 2]),
      );
      const line = new Float32Array(width + 2 * reach);
      for (let y = 0; y < height + 2 * reach; y++) {
        const from = mirrorIndex(y - reach, height) * width;
        line.set(plane.subarray(from, from + width), reach);
        for (let k = 1; k <= reach; k++) {
          line[reach - k] = plane[from + mirrorIndex(-k, width)];
          line[reach + width - 1 + k] = plane[from + mirrorIndex(width - 1 + k, width)];
        }
        arena.writeFloats(grown + 4 * y * pitch, line);
      }
      const out = new Float32Array(plane.length);
      for (let y = 0; y < height; y++) {
        arena.writeIntegers(
          rows,
          Int32Array.from({ length: size }, (_, j) => grown + 4 * (y + j) * pitch),
        );
        wasm.filterRow(rows, dst, width, taps, size);
        out.set(arena.floats(dst, width), y * width);
      }
      return out;
    },
  };
}

import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { checkPlane } from "../plane";
import type { CalibrateKernels } from "./contract";
import { RIM, checkMasters } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  applyRow(
    row: number,
    bytes: number,
    bias: number,
    dark: number,
    flat: number,
    scale: number,
    inverse: number,
    saturation: number,
    pedestal: number,
  ): number;
  loneBegin(rowBytes: number, pitch: number, scratch: number): void;
  loneRow(row: number, width: number, limits: number, out: number): void;
}

/** Rows that lie in the module at once. */
const STRIP = 32;

export function calibrateWasm(module: WasmModule): CalibrateKernels {
  const wasm = module as Exports;
  return {
    applyMasters(plane, width, height, masters) {
      checkPlane(plane, width, height);
      checkMasters(plane, masters);
      const { bias, dark, flat, darkScale, flatMeans, pitch, saturation, pedestal } = masters;
      const row = Math.ceil(width / 4) * 4;
      const arena = openArena(wasm);
      const sources = [plane, bias, dark, flat].map((values) => values && { values, at: arena.take(row) });
      const inverse = arena.take(8);
      arena.ensure();
      // Two rows of the cell, each over and over.
      const places = Float32Array.from(
        { length: 8 },
        (_, k) => 1 / flatMeans[((k >> 2) % pitch) * pitch + (k % pitch)],
      );
      arena.writeFloats(inverse, places);
      const views = sources.map((source) => source && { ...source, view: arena.floats(source.at, width) });
      const [own, ...addresses] = sources.map((source) => source?.at ?? 0);
      const result = arena.floats(own, width);
      let hasGaps = false;
      // What is over at a row's end is calibrated too, and must be a number.
      for (const at of addresses) if (at > 0) arena.floats(at, row).fill(1);
      const over = arena.floats(own + 4 * width, row - width);
      for (let y = 0; y < height; y++) {
        const from = y * width;
        over.fill(0);
        for (const source of views) source?.view.set(source.values.subarray(from, from + width));
        const [b, d, f] = addresses;
        const some = wasm.applyRow(own, 4 * row, b, d, f, darkScale, inverse + 16 * (y % pitch), saturation, pedestal);
        if (some === 1) hasGaps = true;
        plane.set(result, from);
      }
      return hasGaps;
    },

    loneOutliers(plane, width, height, pitch, limits) {
      checkPlane(plane, width, height);
      const out = new Uint8Array(plane.length);
      if (width <= 2 * RIM || height <= 2 * RIM) return out;
      const arena = openArena(wasm);
      const rows = STRIP + 2 * RIM;
      const strip = arena.take(rows * width + 16);
      const marks = arena.take(Math.ceil(width / 4) + 4);
      const [pattern, scratch] = [arena.take(8), arena.take(16)];
      arena.ensure();
      arena.writeFloats(
        pattern,
        Float32Array.from({ length: 8 }, (_, k) => limits[((k >> 2) % pitch) * pitch + (k % pitch)]),
      );
      wasm.loneBegin(4 * width, pitch, scratch);
      const view = new Uint8Array(wasm.memory.buffer, marks, width);
      for (let y0 = RIM; y0 < height - RIM; y0 += STRIP) {
        const y1 = Math.min(height - RIM, y0 + STRIP);
        arena.writeFloats(strip, plane.subarray((y0 - RIM) * width, (y1 + RIM) * width));
        for (let y = y0; y < y1; y++) {
          view.fill(0);
          wasm.loneRow(strip + 4 * (y - y0 + RIM) * width, width, pattern + 16 * (y % pitch), marks);
          out.set(view, y * width);
        }
      }
      return out;
    },
  };
}

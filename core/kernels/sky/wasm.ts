import { CHUNK } from "../../raster/statistics";
import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { checkPlane } from "../plane";
import type { SkyKernels } from "./contract";
import { axisOf, checkMesh, meshRow } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  skyBegin(
    width: number,
    height: number,
    rowBytes: number,
    rings: number,
    scratch: number,
    columns: number,
    low: number,
    share: number,
  ): void;
  skyRow(row: number, mesh: number, clean: number, band: number, coarse: number): number;
  chunkMaxima(values: number, n: number, out: number): void;
}

/** Rows of the three rings of assembly.ts, and by how much what is finished lies behind what was taken. */
const RING_ROWS = 8 + 16 + 32;
const LAG = 14;
/** Values that are copied in at once. */
const PART = 1 << 18;

export function skyWasm(module: WasmModule): SkyKernels {
  const wasm = module as Exports;
  return {
    detectionBands(plane, width, height, background, into = new Float32Array(plane.length)) {
      checkPlane(plane, width, height);
      const mesh = background ?? { columns: 1, rows: 1, level: new Float32Array(1) };
      checkMesh(mesh);
      const pitch = Math.ceil(width / 4) * 4;
      const arena = openArena(wasm);
      const take = () => arena.take(pitch);
      const [row, clean, band, coarse, share] = [take(), take(), take(), take(), take()];
      const low = take();
      const rings = arena.take(RING_ROWS * pitch);
      const scratch = arena.take(pitch + 48);
      const line = arena.take(mesh.columns + 1);
      arena.ensure();
      const [xs, ys] = [axisOf(width, mesh.columns), axisOf(height, mesh.rows)];
      arena.writeFloats(share, xs.share);
      arena.writeIntegers(low, xs.low);
      wasm.skyBegin(width, height, 4 * pitch, rings, scratch, mesh.columns, low, share);
      const views = [clean, band, coarse].map((at) => arena.floats(at, width));
      const levels = arena.floats(line, mesh.columns + 1);
      const source = arena.floats(row, width);
      const out = [into, new Float32Array(plane.length), new Float32Array(plane.length)];
      for (let y = 0; y < height + LAG; y++) {
        if (y < height) {
          source.set(plane.subarray(y * width, (y + 1) * width));
          meshRow(mesh, ys, y, levels);
        }
        const isFinished = wasm.skyRow(row, line, clean, band, coarse) === 1;
        if (y < height) out[0].set(views[0], y * width);
        if (isFinished) for (const k of [1, 2]) out[k].set(views[k], (y - LAG) * width);
      }
      return { clean: out[0], band: out[1], coarse: out[2] };
    },

    chunkMaxima(values) {
      const arena = openArena(wasm);
      const [part, maxima] = [arena.take(Math.min(PART, values.length)), arena.take(PART / CHUNK)];
      arena.ensure();
      const out = new Float32Array(Math.ceil(values.length / CHUNK));
      for (let from = 0; from < values.length; from += PART) {
        const own = values.subarray(from, from + PART);
        arena.writeFloats(part, own);
        wasm.chunkMaxima(part, own.length, maxima);
        out.set(arena.floats(maxima, Math.ceil(own.length / CHUNK)), from / CHUNK);
      }
      return out;
    },
  };
}

import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import type { ResampleKernels } from "./contract";
import { blocksOf, checkPlaces, isNear } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  resampleFrom(src: number, width: number, height: number): void;
  resampleWith(weights: number, slopes: number, taps: number, phases: number, scratch: number): void;
  resampleLevels(scale: number, level: number, dx: number, dy: number): void;
  resampleBlock(near: number, ...places: number[]): void;
}

/** Columns of a stripe and rows of the ring in which assembly.ts keeps what it interpolated along rows. */
const SCRATCH = 2 * 16 * 256 + 16 + 4;

export function resampleWasm(module: WasmModule): ResampleKernels {
  const wasm = module as Exports;
  return {
    resample(planes, width, height, { taps, phases, weights, slopes }, places, levels, into) {
      checkPlaces(planes, width, height, places, levels);
      const { columns, rows } = places;
      const arena = openArena(wasm);
      const at = {
        // A vector may be read up to its end where only its first half counts.
        plane: arena.take(width * height + 8),
        weights: arena.take(weights.length + 8),
        slopes: arena.take(slopes.length + 8),
        scratch: arena.take(SCRATCH),
        out: arena.take(columns * rows),
      };
      arena.ensure();
      arena.writeFloats(at.weights, weights);
      arena.writeFloats(at.slopes, slopes);
      wasm.resampleWith(at.weights, at.slopes, taps, phases, at.scratch);
      const blocks = blocksOf(places);
      return planes.map((plane, p) => {
        arena.writeFloats(at.plane, plane);
        wasm.resampleFrom(at.plane, width, height);
        const { scale, level, dx, dy } = levels[p];
        wasm.resampleLevels(scale, level, dx, dy);
        blocks.forEach((block, k) => {
          const matrix = places.matrices.subarray(6 * k, 6 * k + 6);
          // Groups of four columns begin at multiples of four of the picture, however it is cut.
          const lead = (((places.x + block.i) % 4) + 4) % 4;
          const target = at.out + 4 * (block.j * columns + block.i);
          const part = [block.i, block.j, block.width, block.height, lead, columns, target];
          wasm.resampleBlock(isNear(matrix, taps) ? 1 : 0, ...matrix, ...part);
        });
        const made = arena.floats(at.out, columns * rows);
        if (!into) return made.slice();
        into[p].set(made);
        return into[p];
      });
    },
  };
}

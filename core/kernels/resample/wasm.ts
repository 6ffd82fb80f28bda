import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import type { ResampleKernels } from "./contract";
import { checkPlaces } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  resamplePlaces(
    src: number,
    width: number,
    height: number,
    weights: number,
    taps: number,
    phases: number,
    xs: number,
    ys: number,
    n: number,
    out: number,
  ): void;
  resampleGrid(...args: number[]): void;
}

export function resampleWasm(module: WasmModule): ResampleKernels {
  const wasm = module as Exports;
  return {
    resample(planes, width, height, { taps, phases, weights }, places) {
      checkPlaces(planes, width, height, places);
      const isGrid = !("xs" in places);
      const n = isGrid ? places.columns * places.rows : places.xs.length;
      const arena = openArena(wasm);
      const at = {
        // A vector may be read up to its end where only its first half counts.
        plane: arena.take(width * height + 8),
        weights: arena.take(weights.length + 8),
        xs: arena.take(isGrid ? 0 : 2 * n),
        ys: arena.take(isGrid ? 0 : 2 * n),
        out: arena.take(n),
      };
      arena.ensure();
      arena.writeFloats(at.weights, weights);
      if (!isGrid) {
        arena.writeDoubles(at.xs, places.xs);
        arena.writeDoubles(at.ys, places.ys);
      }
      return planes.map((plane) => {
        arena.writeFloats(at.plane, plane);
        const from = [at.plane, width, height, at.weights, taps, phases] as const;
        if (isGrid) wasm.resampleGrid(...from, ...places.matrix, places.columns, places.rows, at.out);
        else wasm.resamplePlaces(...from, at.xs, at.ys, n, at.out);
        return arena.floats(at.out, n).slice();
      });
    },
  };
}

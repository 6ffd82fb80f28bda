import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { blocksOf } from "../resample/contract";
import type { DrizzleKernels } from "./contract";
import { checkDrops } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  dropBlock(...args: number[]): void;
}

export function drizzleWasm(module: WasmModule): DrizzleKernels {
  const wasm = module as Exports;
  return {
    drizzle(plane, places, side, weight, sums) {
      checkDrops(plane, places, side, sums);
      const { columns, rows, light, area } = sums;
      const arena = openArena(wasm);
      const at = { plane: arena.take(plane.length), light: arena.take(light.length), area: arena.take(area.length) };
      arena.ensure();
      arena.writeFloats(at.plane, plane);
      arena.writeFloats(at.light, light);
      arena.writeFloats(at.area, area);
      blocksOf(places).forEach(({ i, j, width, height }, k) => {
        const matrix = places.matrices.subarray(6 * k, 6 * k + 6);
        const from = [at.plane, places.columns, i, j, width, height];
        wasm.dropBlock(...from, ...matrix, side, weight, at.light, at.area, columns, rows);
      });
      light.set(arena.floats(at.light, light.length));
      area.set(arena.floats(at.area, area.length));
    },
  };
}

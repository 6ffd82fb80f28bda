import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { checkPlane } from "../plane";
import type { VariationKernels } from "./contract";
import { momenta } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  primal(...numbers: number[]): void;
  dualStep(...numbers: number[]): void;
}

export function variationWasm(module: WasmModule): VariationKernels {
  const wasm = module as Exports;
  return {
    totalVariation(plane, width, height, { weight, iterations }) {
      checkPlane(plane, width, height);
      if (!(weight > 0)) return plane.slice();
      const arena = openArena(wasm);
      // A vector of zeros before each row, a row before the first, and one after the last for what is read beyond it.
      const pitch = 4 * Math.ceil((width + 1) / 4) + 4;
      const rows = height + 2;
      const taken = [0, 1, 2, 3, 4, 5].map(() => arena.take(pitch * rows + 8));
      const [x, y, px, py, qx, qy] = taken.map((at) => at + 4 * (pitch + 4));
      arena.ensure();
      for (const at of taken) arena.zero(at, pitch * rows + 8);
      arena.write(y, plane, width, height, pitch);
      for (const carried of momenta(iterations)) {
        wasm.primal(x, y, qx, qy, width, height, pitch, weight);
        wasm.dualStep(x, px, py, qx, qy, width, height, pitch, 1 / (8 * weight), carried);
      }
      wasm.primal(x, y, px, py, width, height, pitch, weight);
      return arena.read(x, width, height, pitch);
    },
  };
}

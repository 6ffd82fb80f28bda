import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { checkPlane } from "../plane";
import type { VariationKernels } from "./contract";
import { mirrored } from "../../raster/mirrored";
import { momenta, SECOND_MARGIN, SECOND_STEP } from "./contract";

/** What assembly.ts exports; addresses are bytes, pitches floats. */
interface Exports extends WasmModule {
  primal(...numbers: number[]): void;
  dualStep(...numbers: number[]): void;
  secondDual(...numbers: number[]): void;
  secondPrimal(...numbers: number[]): void;
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
    secondVariation(plane, width, height, { weight, bend, iterations }) {
      checkPlane(plane, width, height);
      if (!(weight > 0)) return plane.slice();
      const { grown, pitch, rows } = mirrored(plane, width, height, SECOND_MARGIN);
      const n = pitch * rows;
      const arena = openArena(wasm);
      // A row of zeros before and after each plane, for what is read beyond its ends.
      const guard = 16 * Math.ceil((pitch + 4) / 16);
      const taken = Array.from({ length: 12 }, () => arena.take(n + guard));
      arena.take(guard);
      const table = arena.take(12);
      arena.ensure();
      arena.zero(taken[0], (table - taken[0]) / 4);
      const planes = taken.map((at) => at + 4 * guard);
      arena.writeIntegers(table, planes);
      const [bar, x] = [planes[0], planes[9]];
      for (const at of [bar, planes[8], x]) arena.writeFloats(at, grown);
      for (let round = 0; round < iterations; round++) {
        wasm.secondDual(table, n, pitch, SECOND_STEP, weight, bend * weight);
        wasm.secondPrimal(table, n, pitch, SECOND_STEP);
      }
      const first = x + 4 * (SECOND_MARGIN * pitch + SECOND_MARGIN);
      return arena.read(first, width, height, pitch);
    },
  };
}

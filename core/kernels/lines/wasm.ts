import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import type { LineKernels } from "./contract";
import { columnsOf } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  sumLines(current: number, next: number, rows: number, size: number): number;
}

export function linesWasm(module: WasmModule): LineKernels {
  const wasm = module as Exports;
  return {
    lineSums(plane, width, height) {
      const { values, size, rows } = columnsOf(plane, width, height);
      const arena = openArena(wasm);
      const [current, next] = [arena.take(values.length), arena.take(values.length)];
      arena.ensure();
      arena.writeFloats(current, values);
      const at = wasm.sumLines(current, next, rows, size);
      values.set(arena.floats(at, values.length));
      return { values, size, rows };
    },
  };
}

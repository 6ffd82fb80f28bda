import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import { checkPlane } from "../plane";
import type { CovarianceKernels } from "./contract";
import { bothHalves, lagsOf } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  lagProduct(plane: number, width: number, height: number, dx: number, dy: number, every: number): number;
}

export function covarianceWasm(module: WasmModule): CovarianceKernels {
  const wasm = module as Exports;
  return {
    lagSums(plane, width, height, reach, step, every) {
      checkPlane(plane, width, height);
      const hasGaps = plane.some(Number.isNaN);
      const arena = openArena(wasm);
      const values = arena.take(plane.length);
      const told = hasGaps ? arena.take(plane.length) : null;
      arena.ensure();
      arena.writeFloats(values, hasGaps ? plane.map((v) => (v === v ? v : 0)) : plane);
      if (told !== null)
        arena.writeFloats(
          told,
          plane.map((v) => (v === v ? 1 : 0)),
        );
      const lags = lagsOf(reach).map(([u, v]): [number, number] => [u * step, v * step]);
      const over = (at: number) =>
        Float64Array.from(lags, ([dx, dy]) => wasm.lagProduct(at, width, height, dx, dy, every));
      const pairs = ([dx, dy]: [number, number]) =>
        Math.max(0, width - Math.abs(dx)) * Math.max(0, Math.ceil((height - dy) / every));
      const counts = told === null ? Float64Array.from(lags, pairs) : over(told);
      return { sums: bothHalves(reach, over(values)), counts: bothHalves(reach, counts) };
    },
  };
}

import { SIGMA_PER_MAD } from "../../raster/statistics";
import type { WasmModule } from "../arena";
import { openArena } from "../arena";
import type { StatisticsKernels } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends WasmModule {
  selectRank(values: number, keys: number, n: number, rank: number): number;
  medianSpread(values: number, keys: number, n: number, out: number): void;
  clippedMoments(values: number, keys: number, n: number, kappa: number, rounds: number, out: number): number;
}

export function statisticsWasm(module: WasmModule): StatisticsKernels {
  const wasm = module as Exports;
  let floats = new Float32Array(0);
  let doubles = new Float64Array(0);
  /**
   * The values that are not NaN in the module's memory, with room for their keys and for four results. Called a thousand times a picture, so views are
   * kept for as long as the memory stands.
   */
  const laidOut = (values: Float32Array, limit: number) => {
    const stride = Math.max(1, Math.floor(values.length / limit));
    const arena = openArena(wasm);
    const room = Math.ceil(values.length / stride) + 4;
    const [at, keys, out] = [arena.take(room), arena.take(room), arena.take(8)];
    arena.ensure();
    if (floats.buffer !== wasm.memory.buffer) {
      floats = new Float32Array(wasm.memory.buffer);
      doubles = new Float64Array(wasm.memory.buffer);
    }
    const first = at / 4;
    let n = 0;
    for (let i = 0; i < values.length; i += stride) {
      const v = values[i];
      floats[first + n] = v;
      if (v === v) n++;
    }
    return { n, at, keys, out, result: (k: number) => doubles[out / 8 + k] };
  };
  return {
    robustSpread(values, limit = 1 << 18) {
      const { n, at, keys, out, result } = laidOut(values, limit);
      if (n === 0) return { centre: NaN, sigma: NaN, count: 0 };
      wasm.medianSpread(at, keys, n, out);
      return { centre: result(0), sigma: SIGMA_PER_MAD * result(1), count: n };
    },

    clippedMean(values, kappa, rounds = 8, limit = Infinity) {
      const { n, at, keys, out, result } = laidOut(values, limit);
      const count = wasm.clippedMoments(at, keys, n, kappa, rounds, out);
      if (count === 0) return { mean: NaN, median: NaN, sigma: NaN, count };
      return { mean: result(0), median: result(1), sigma: result(2), count };
    },

    quantiles(values, shares) {
      const { n, at, keys } = laidOut(values, Infinity);
      const last = n - 1;
      return shares.map((share) =>
        n === 0 ? NaN : wasm.selectRank(at, keys, n, Math.min(last, Math.max(0, Math.round(share * last)))),
      );
    },
  };
}

import type { WasmModule } from "../arena";
import type { Psf } from "../convolution/contract";
import type { Exports as Convolution } from "../convolution/prepared";
import { prepareConvolution } from "../convolution/prepared";
import { checkPlane } from "../plane";
import type { StarletExports } from "../starlet/wasm";
import type { GatedKernels, GatedSettings } from "./contract";
import { LEAST_REACHED } from "./contract";

/** What assembly.ts exports; addresses are bytes. */
interface Exports extends Convolution, Pick<StarletExports, "b3Smooth"> {
  missInto(data: number, b: number, inverse: number, r: number, n: number): void;
  gateInto(out: number, a: number, b: number, sigma: number, gate: number, n: number, first: number): void;
  gatedRatio(b: number, r: number, rest: number, inverse: number, floor: number, n: number): void;
  raiseInto(u: number, step: number, inverse: number, n: number): void;
}

export function gatedWasm(module: WasmModule): GatedKernels {
  const wasm = module as Exports;

  function gatedLucy(
    data: Float32Array,
    width: number,
    height: number,
    psf: Psf,
    { iterations, start, floor, sigma, gates }: GatedSettings,
    onIteration?: (done: number) => void,
  ): Float32Array {
    for (const plane of [data, start, sigma]) checkPlane(plane, width, height);
    const prepared = prepareConvolution(wasm, width, height, psf, (plane, pitch) => ({
      data: plane,
      sigma: plane,
      ofP: plane,
      ofPt: plane,
      seen: plane,
      kept: plane,
      one: plane,
      other: plane,
      line: pitch + 4 * 2 ** gates.length + 16,
    }));
    const { arena, u, extra, up, h, columns, rowsThrough, load, result } = prepared;
    const n = up * h;
    const through = (from: number, to: number, conjugate: boolean): void => {
      wasm.forwardColumns(from, up, ...columns);
      rowsThrough(conjugate);
      wasm.inverseColumns(to, up, ...columns);
    };
    for (const [inverse, conjugate] of [
      [extra.ofP, false],
      [extra.ofPt, true],
    ] as const) {
      load(u, new Float32Array(data.length).fill(1));
      through(u, extra.seen, conjugate);
      load(
        inverse,
        arena.read(extra.seen, width, height, up).map((v) => 1 / Math.max(v, LEAST_REACHED)),
      );
    }
    load(extra.data, data);
    load(extra.sigma, sigma);
    load(u, start);
    for (let k = 0; k < iterations; k++) {
      through(u, extra.seen, false);
      let [current, smooth] = [extra.one, extra.other];
      wasm.missInto(extra.data, extra.seen, extra.ofP, current, n);
      if (gates.length === 0) arena.zero(extra.kept, n);
      for (const [scale, gate] of gates.entries()) {
        wasm.b3Smooth(current, smooth, width, height, up, 1 << scale, extra.line);
        wasm.gateInto(extra.kept, current, smooth, extra.sigma, gate, n, scale === 0 ? 1 : 0);
        [current, smooth] = [smooth, current];
      }
      wasm.gatedRatio(extra.seen, extra.kept, current, extra.ofP, floor, n);
      through(extra.seen, extra.seen, true);
      wasm.raiseInto(u, extra.seen, extra.ofPt, n);
      onIteration?.(k + 1);
    }
    return result();
  }

  return { gatedLucy };
}

import type { WasmModule } from "../arena";
import { checkPlane } from "../plane";
import type { ConvolutionKernels, Psf, RichardsonLucySettings } from "./contract";
import { FAR, hastenedBy, LEAST_DIVISOR, startOf } from "./contract";
import type { Exports } from "./prepared";
import { prepareConvolution } from "./prepared";

export function convolutionWasm(module: WasmModule): ConvolutionKernels {
  const wasm = module as Exports;

  function convolve(plane: Float32Array, width: number, height: number, psf: Psf): Float32Array {
    checkPlane(plane, width, height);
    const { u, up, columns, rowsThrough, load, result } = prepareConvolution(wasm, width, height, psf, () => ({}));
    load(u, plane);
    wasm.forwardColumns(u, up, ...columns);
    rowsThrough(false);
    wasm.inverseColumns(u, up, ...columns);
    return result();
  }

  function richardsonLucy(
    data: Float32Array,
    width: number,
    height: number,
    psf: Psf,
    settings: RichardsonLucySettings,
    onIteration?: (done: number) => void,
  ): Float32Array {
    checkPlane(data, width, height);
    const { iterations, start, floor, variation, damping, isHastened = false } = settings;
    if (damping) checkPlane(damping.inverse, width, height);
    const lambda = variation?.lambda ?? 0;
    const lambdas = typeof lambda === "number" ? null : lambda;
    if (lambdas) checkPlane(lambdas, width, height);
    if (iterations < 1) return startOf(start, data);
    const { arena, u, extra, up, h, columns, rowsThrough, load, result } = prepareConvolution(
      ...([wasm, width, height, psf] as const),
      (plane, pitch) => ({
        data: plane,
        before: isHastened ? plane : 0,
        inverse: damping ? plane : 0,
        lambdas: lambdas ? plane : 0,
        // With a vector and a row of zeros before and after each.
        px: variation ? plane + pitch + 32 : 0,
        py: variation ? plane + pitch + 32 : 0,
      }),
    );
    load(extra.data, data);
    load(u, startOf(start, data));
    if (isHastened) load(extra.before, startOf(start, data));
    if (damping) {
      arena.floats(extra.inverse, up * h).fill(FAR);
      arena.write(extra.inverse, damping.inverse, width, height, up);
    }
    if (lambdas) load(extra.lambdas, lambdas);
    const [px, py] = [extra.px, extra.py].map((plane) => plane + 4 * (up + 16));
    if (variation) for (const plane of [extra.px, extra.py]) arena.zero(plane, up * (h + 1) + 32);
    wasm.forwardColumns(u, up, ...columns);
    for (let k = 0; k < iterations; k++) {
      rowsThrough(false);
      if (damping) wasm.dampedColumns(extra.data, extra.inverse, up, floor, ...columns);
      else wasm.ratioColumns(extra.data, up, floor, ...columns);
      rowsThrough(true);
      if (variation) {
        wasm.variationInto(u, up, width, height, variation.soften, px, py);
        const all = typeof lambda === "number" ? lambda : 0;
        wasm.dividedBy(u, up, width, height, lambdas ? extra.lambdas : 0, all, LEAST_DIVISOR, px, py);
      }
      const isLast = k === iterations - 1;
      wasm.updateColumns(u, up, isLast || isHastened ? 1 : 0, ...columns);
      if (isHastened && !isLast) {
        wasm.hasten(u, extra.before, up * h, hastenedBy(k + 1));
        wasm.forwardColumns(u, up, ...columns);
      }
      onIteration?.(k + 1);
    }
    return result();
  }

  return { convolve, richardsonLucy };
}

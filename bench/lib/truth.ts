// What the figures of bench/evidence.ts share.
import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { quietJob } from "@/core/job";
import { createWasmKernels } from "@/core/kernels";
import type { Raster } from "@/core/raster";
import { medianInPlace } from "@/core/raster";
import type { Night } from "@/core/simulate";
import { exposeNoiseless } from "@/core/simulate";

export const beside = (name: string) => fileURLToPath(new URL(name, import.meta.url));
export const kernels = createWasmKernels(new Uint8Array(readFileSync(beside("kernels.wasm"))));
export const job = quietJob(kernels);
export const round = (v: number, digits = 4) => Number(v.toPrecision(digits));
export const medianOf = (values: number[]) => (values.length > 0 ? medianInPlace(Float64Array.from(values)) : NaN);

/** The noise-free reference frame: the sky seen through the reference sub's dither, its air and its gradient. */
export function truthInReference(night: Night, referenceIndex: number, fwhmPx: number, withStars = true): Raster {
  const sky = withStars ? night.sky : { ...night.sky, stars: [] };
  const electrons = exposeNoiseless(sky, night.camera, { ...night.subs[referenceIndex], fwhmPx }, kernels);
  for (const plane of electrons.planes)
    for (let i = 0; i < plane.length; i++)
      plane[i] = (plane[i] / night.camera.electronsPerAdu + night.camera.pedestalAdu) / 65535;
  return electrons;
}

/** Stack less truth, with what is smooth taken off too (the two differ by a slowly varying level): finest two scales kept. */
export function residualPlane(stack: Float32Array, truth: Float32Array, size: number): Float32Array {
  const difference = stack.map((v, i) => (v === v ? v - truth[i] : 0));
  let smooth: Float32Array = difference;
  for (let scale = 0; scale < 5; scale++) smooth = kernels.starletSmooth(smooth, size, size, scale);
  return difference.map((v, i) => v - smooth[i]);
}

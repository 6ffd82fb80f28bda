import { readFileSync } from "node:fs";
import { join } from "node:path";
import type { FrameUnit } from "../formats";
import type { Kernels } from "../kernels";
import { createPlainKernels, createWasmKernels } from "../kernels";
import { roundPsf } from "../measure";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { createRaster } from "../raster";
import { kernelBytes } from "./kernelBytes";

const folder = join(process.cwd(), "reference/fixtures");

/** A file of reference/fixtures as JSON. */
export function fixture<T>(name: string): T {
  return JSON.parse(readFileSync(join(folder, name), "utf8")) as T;
}

export function fixtureBytes(name: string): Uint8Array {
  return new Uint8Array(readFileSync(join(folder, name)));
}

const saidBy = (words: string) => ({ name: words, fullScale: words, saturation: "95 % of full scale" });
const unit = (name: FrameUnit["name"], full: number, storedPerUnit: number): FrameUnit => ({
  name,
  storedPerUnit,
  fullScale: full,
  saturation: 0.95 * full,
  electronsPerAdu: null,
  from: saidBy("sample type"),
});
/** Samples that are shares of full scale, and those of 16-bit integers. */
export const SHARES = unit("share", 1, 1);
export const SIXTEEN_BITS = unit("ADU", 65535, 65535);

export const wasmKernels = (): Kernels => createWasmKernels(kernelBytes());
export const plainKernels = createPlainKernels;

export interface PaintedStar {
  x: number;
  y: number;
  flux: number;
}

/** Moffat stars of one FWHM on a flat level with normal noise, the same in every channel but for `tint`. */
export function paintStars(
  width: number,
  height: number,
  stars: PaintedStar[],
  options: { fwhm?: number; level?: number; noise?: number; seed?: number; channels?: number; tint?: number[] } = {},
): Raster {
  const { fwhm = 3, level = 0.01, noise = 0.0003, seed = 1, channels = 1, tint = [1, 1, 1] } = options;
  const raster = createRaster(width, height, channels);
  const random = createRandom(seed);
  const alpha = fwhm / (2 * Math.sqrt(2 ** (1 / 3.5) - 1));
  const peak = 2.5 / (Math.PI * alpha * alpha);
  raster.planes.forEach((plane, c) => {
    for (let i = 0; i < plane.length; i++) plane[i] = level + noise * random.normal();
    for (const star of stars)
      for (let y = Math.max(0, Math.floor(star.y - 30)); y < Math.min(height, star.y + 30); y++)
        for (let x = Math.max(0, Math.floor(star.x - 30)); x < Math.min(width, star.x + 30); x++) {
          const r2 = ((x - star.x) ** 2 + (y - star.y) ** 2) / (alpha * alpha);
          plane[y * width + x] += star.flux * tint[c] * peak * (1 + r2) ** -3.5;
        }
  });
  return raster;
}

/** Stars at random places with fluxes over two decades, none within 20 px of another or of the border. */
export function randomStars(count: number, width: number, height: number, seed: number): PaintedStar[] {
  const random = createRandom(seed);
  const stars: PaintedStar[] = [];
  for (let guard = 0; stars.length < count && guard < 100_000; guard++) {
    const star = {
      x: 20 + random.uniform() * (width - 40),
      y: 20 + random.uniform() * (height - 40),
      flux: 0.05 * 100 ** random.uniform(),
    };
    if (stars.every((other) => Math.hypot(other.x - star.x, other.y - star.y) > 20)) stars.push(star);
  }
  return stars;
}

export const testPsf = (fwhm: number) => roundPsf(fwhm, 3.5);

/** Largest absolute difference of two planes; Infinity where only one of them is NaN. */
export function worstDifference(a: ArrayLike<number>, b: ArrayLike<number>): number {
  if (a.length !== b.length) throw new RangeError(`planes of ${a.length} and ${b.length} samples`);
  let worst = 0;
  for (let i = 0; i < a.length; i++) {
    if (a[i] !== a[i] && b[i] !== b[i]) continue;
    const d = Math.abs(a[i] - b[i]);
    worst = d >= worst ? d : d !== d ? Infinity : worst;
  }
  return worst;
}

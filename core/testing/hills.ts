import type { Psf } from "../kernels";
import { roundPsf } from "../measure";
import { cropRaster, frameOfRaster, mirrored, rasterOf } from "../raster";
import { exposed, FIELD_SIDE as SIDE, smoothField } from "./fields";
import { wasmKernels } from "./fixtures";

/** A plane through a PSF, mirrored beyond its border. */
export function seenThrough(plane: Float32Array, psf: Psf): Float32Array {
  const { grown, pitch, rows } = mirrored(plane, SIDE, SIDE, 24);
  const out = rasterOf(pitch, rows, [wasmKernels().convolve(grown, pitch, rows, psf)]);
  return cropRaster(out, { x: 24, y: 24, width: SIDE, height: SIDE }).planes[0];
}

/** What stars of 1.8 px show of a plane. */
export const asShown = (plane: Float32Array): Float32Array => seenThrough(plane, roundPsf(1.8, 3, 20));

/** Hills of all sizes, blurred by a Moffat, in noise of σ, with halves; the truth as stars of 1.8 px show it. */
export function hills(fwhm: number, sigma: number, seed: number) {
  const octaves = [0.8, 1.6, 3.2, 6.4, 12.8].map((px, k) => smoothField(px, seed + k).map((v) => 8 * px ** 0.5 * v));
  const light = Float32Array.from({ length: SIDE * SIDE }, (_, i) => octaves.reduce((sum, of) => sum + of[i], 200));
  const { picture, a, b } = exposed([seenThrough(light, roundPsf(fwhm, 3))], () => sigma, seed + 100);
  return {
    input: {
      picture: frameOfRaster(picture),
      halves: { a: frameOfRaster(a), b: frameOfRaster(b) },
      fill: [200],
      fullScale: 65535,
    },
    truth: asShown(light),
  };
}

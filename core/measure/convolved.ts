import type { Kernels, Psf } from "../kernels";
import { cropRaster, mirrored, rasterOf } from "../raster";

/** A plane (row-major, `width` × `height`) through a PSF, mirrored beyond its border; of the same size. */
export function convolved(
  plane: Float32Array,
  width: number,
  height: number,
  psf: Psf,
  kernels: Kernels,
): Float32Array {
  const margin = (psf.size - 1) / 2;
  const { grown, pitch, rows } = mirrored(plane, width, height, margin);
  const out = rasterOf(pitch, rows, [kernels.convolve(grown, pitch, rows, psf)]);
  return cropRaster(out, { x: margin, y: margin, width, height }).planes[0];
}

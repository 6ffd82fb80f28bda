import type { CfaCell, Interpolation, MosaicKernels } from "../../kernels";
import type { Raster } from "../../raster";
import { rasterOf } from "../../raster";

/**
 * One way to make three channels of a mosaic. `run` gets a mosaic (one plane) whose pixel (0, 0) begins `cell`, with `halo`
 * pixels of surroundings that it may use; where it needs pixels outside, it mirrors about the outermost ones, which keeps the
 * colours in step. The result has the size of the mosaic divided by `shrinks`.
 */
export interface Demosaic {
  id: string;
  title: string;
  help: string;
  halo: number;
  shrinks: 1 | 2;
  run(mosaic: Float32Array, width: number, height: number, cell: CfaCell, kernels: MosaicKernels): Raster;
}

/** A demosaic of the same size that is a kernel (kernels/mosaic/). */
export function interpolating(
  id: Interpolation,
  { title, help, halo }: Pick<Demosaic, "title" | "help" | "halo">,
): Demosaic {
  return {
    id,
    title,
    help,
    halo,
    shrinks: 1,
    run: (mosaic, width, height, cell, kernels) =>
      rasterOf(width, height, kernels.demosaic(id, mosaic, width, height, cell)),
  };
}

import type { Raster } from "../../raster";
import { mirrorIndex } from "../../raster";
import type { CfaCell } from "../cfa";

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
  run(mosaic: Float32Array, width: number, height: number, cell: CfaCell): Raster;
}

/** The mosaic with `pad` mirrored pixels on every side, so that kernels need not look at borders. */
export function padMosaic(mosaic: Float32Array, width: number, height: number, pad: number): Float32Array {
  const pitch = width + 2 * pad;
  const out = new Float32Array(pitch * (height + 2 * pad));
  for (let y = 0; y < height + 2 * pad; y++) {
    const from = mirrorIndex(y - pad, height) * width;
    const to = y * pitch;
    out.set(mosaic.subarray(from, from + width), to + pad);
    for (let k = 0; k < pad; k++) {
      out[to + k] = mosaic[from + mirrorIndex(k - pad, width)];
      out[to + pad + width + k] = mosaic[from + mirrorIndex(width + k, width)];
    }
  }
  return out;
}

import { rasterOf } from "../../raster";
import type { CfaCell } from "../cfa";
import type { Demosaic } from "./demosaic";
import { padMosaic } from "./demosaic";

/**
 * Gradient-corrected linear interpolation: bilinear plus a share of the Laplacian of the colour that is known at the pixel, all as
 * fixed 5 × 5 filters (gains α = 1/2, β = 5/8, γ = 3/4).
 * Source: Malvar, He & Cutler 2004, ICASSP, fig. 2.
 */
export const linear5: Demosaic = {
  id: "linear5",
  title: "gradient-corrected linear",
  help: "Bilinear, corrected by the change of the known colour: sharper, with little more noise",
  halo: 2,
  shrinks: 1,
  run: (mosaic, width, height, cell: CfaCell) => {
    const w = width + 4;
    const p = padMosaic(mosaic, width, height, 2);
    const planes = [0, 1, 2].map(() => new Float32Array(width * height));
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        const k = (y + 2) * w + x + 2;
        const own = cell[(y & 1) * 2 + (x & 1)];
        const v = p[k];
        const left = p[k - 1];
        const right = p[k + 1];
        const up = p[k - w];
        const down = p[k + w];
        const across = p[k - 2] + p[k + 2];
        const along = p[k - 2 * w] + p[k + 2 * w];
        const diagonal = p[k - w - 1] + p[k - w + 1] + p[k + w - 1] + p[k + w + 1];
        if (own === 1) {
          const beside = cell[(y & 1) * 2 + ((x + 1) & 1)];
          planes[1][i] = v;
          planes[beside][i] = (5 * v + 4 * (left + right) - across - diagonal + 0.5 * along) / 8;
          planes[2 - beside][i] = (5 * v + 4 * (up + down) - along - diagonal + 0.5 * across) / 8;
        } else {
          planes[own][i] = v;
          planes[1][i] = (4 * v + 2 * (left + right + up + down) - across - along) / 8;
          planes[2 - own][i] = (6 * v + 2 * diagonal - 1.5 * (across + along)) / 8;
        }
      }
    return rasterOf(width, height, planes);
  },
};

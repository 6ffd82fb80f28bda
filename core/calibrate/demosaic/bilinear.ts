import { rasterOf } from "../../raster";
import type { CfaCell } from "../cfa";
import type { Demosaic } from "./demosaic";
import { padMosaic } from "./demosaic";

/** Each missing colour is the mean of its nearest neighbours, two or four. Source: common practice. */
export const bilinear: Demosaic = {
  id: "bilinear",
  title: "bilinear",
  help: "The mean of the nearest pixels of a colour: smooth, without artefacts, a little soft",
  halo: 1,
  shrinks: 1,
  run: (mosaic, width, height, cell: CfaCell) => {
    const pitch = width + 2;
    const p = padMosaic(mosaic, width, height, 1);
    const planes = [0, 1, 2].map(() => new Float32Array(width * height));
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        const k = (y + 1) * pitch + x + 1;
        const own = cell[(y & 1) * 2 + (x & 1)];
        const value = p[k];
        if (own === 1) {
          const beside = cell[(y & 1) * 2 + ((x + 1) & 1)];
          planes[1][i] = value;
          planes[beside][i] = 0.5 * (p[k - 1] + p[k + 1]);
          planes[2 - beside][i] = 0.5 * (p[k - pitch] + p[k + pitch]);
        } else {
          planes[own][i] = value;
          planes[1][i] = 0.25 * (p[k - 1] + p[k + 1] + p[k - pitch] + p[k + pitch]);
          planes[2 - own][i] = 0.25 * (p[k - pitch - 1] + p[k - pitch + 1] + p[k + pitch - 1] + p[k + pitch + 1]);
        }
      }
    return rasterOf(width, height, planes);
  },
};

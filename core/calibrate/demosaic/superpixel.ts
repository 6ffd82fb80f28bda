import { rasterOf } from "../../raster";
import type { Demosaic } from "./demosaic";

/**
 * Each 2 × 2 cell becomes one pixel of half the scale: its red, its blue, and the mean of its greens. Nothing is interpolated.
 * An odd last row or column is left out. Source: common practice.
 */
export const superpixel: Demosaic = {
  id: "superpixel",
  title: "super-pixel",
  help: "Each 2 × 2 cell becomes one pixel: half the size, nothing interpolated",
  halo: 0,
  shrinks: 2,
  run: (mosaic, width, height, cell) => {
    const w = width >> 1;
    const h = height >> 1;
    const planes = [0, 1, 2].map(() => new Float32Array(w * h));
    for (let y = 0, i = 0; y < h; y++)
      for (let x = 0; x < w; x++, i++)
        for (let k = 0; k < 4; k++) {
          const value = mosaic[(2 * y + (k >> 1)) * width + 2 * x + (k & 1)];
          planes[cell[k]][i] += cell[k] === 1 ? 0.5 * value : value;
        }
    return rasterOf(w, h, planes);
  },
};

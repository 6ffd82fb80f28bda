import type { Raster } from "./raster";

/** Box means of `reduce` × `reduce` pixels, missing ones left out; partial boxes at the border are means of what they hold. */
export function reduceInto(out: Raster, piece: Raster, x0: number, y0: number, reduce: number): void {
  const width = Math.ceil(piece.width / reduce);
  const height = Math.ceil(piece.height / reduce);
  for (let c = 0; c < piece.channels; c++)
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        let sum = 0;
        let n = 0;
        const bottom = Math.min(piece.height, (y + 1) * reduce);
        const right = Math.min(piece.width, (x + 1) * reduce);
        for (let py = y * reduce; py < bottom; py++)
          for (let px = x * reduce; px < right; px++) {
            const v = piece.planes[c][py * piece.width + px];
            if (v === v) {
              sum += v;
              n++;
            }
          }
        out.planes[c][(y0 + y) * out.width + x0 + x] = n > 0 ? sum / n : NaN;
      }
}

/** (A − B)/2 of two half-stacks: the noise of the whole and no sky. */
export function halfDifference(a: Raster, b: Raster): Raster {
  return {
    ...a,
    planes: a.planes.map((plane, c) => {
      const other = b.planes[c];
      const out = new Float32Array(plane.length);
      for (let i = 0; i < out.length; i++) out[i] = (plane[i] - other[i]) / 2;
      return out;
    }),
  };
}

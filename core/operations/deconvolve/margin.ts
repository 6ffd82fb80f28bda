import { mirrorIndex } from "../../raster";

/** A plane with its mirror image `margin` px to every side. */
export function mirrorPadded(plane: Float32Array, width: number, height: number, margin: number): Float32Array {
  const w = width + 2 * margin;
  const h = height + 2 * margin;
  const out = new Float32Array(w * h);
  const columns = Int32Array.from({ length: w }, (_, x) => mirrorIndex(x - margin, width));
  for (let y = 0; y < h; y++) {
    const row = mirrorIndex(y - margin, height) * width;
    for (let x = 0; x < w; x++) out[y * w + x] = plane[row + columns[x]];
  }
  return out;
}

/** What lies inside such a margin. */
export function croppedMargin(padded: Float32Array, width: number, height: number, margin: number): Float32Array {
  const out = new Float32Array(width * height);
  const w = width + 2 * margin;
  for (let y = 0; y < height; y++) {
    const from = (y + margin) * w + margin;
    out.set(padded.subarray(from, from + width), y * width);
  }
  return out;
}

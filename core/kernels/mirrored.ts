import { mirrorIndex } from "../raster/raster";

/** A plane with its mirror image `margin` px to every side; the pitch is a multiple of 4. */
export function mirrored(plane: Float32Array, width: number, height: number, margin: number) {
  const pitch = 4 * Math.ceil((width + 2 * margin) / 4);
  const rows = height + 2 * margin;
  const grown = new Float32Array(pitch * rows);
  const columns = Int32Array.from({ length: pitch }, (_, x) => mirrorIndex(x - margin, width));
  for (let y = 0; y < rows; y++) {
    const from = mirrorIndex(y - margin, height) * width;
    for (let x = 0; x < pitch; x++) grown[y * pitch + x] = plane[from + columns[x]];
  }
  return { grown, pitch, rows };
}

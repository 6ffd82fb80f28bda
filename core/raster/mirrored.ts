import { mirrorIndex } from "./raster";

/** A plane with its mirror image `margin` px to every side, in rows of `pitch` (no less than they are wide; what is more goes on mirrored). */
export function mirrored(
  plane: Float32Array,
  width: number,
  height: number,
  margin: number,
  pitch = 4 * Math.ceil((width + 2 * margin) / 4),
): { grown: Float32Array; pitch: number; rows: number } {
  const rows = height + 2 * margin;
  const grown = new Float32Array(pitch * rows);
  const columns = Int32Array.from({ length: pitch }, (_, x) => mirrorIndex(x - margin, width));
  for (let y = 0; y < rows; y++) {
    const from = mirrorIndex(y - margin, height) * width;
    for (let x = 0; x < pitch; x++) grown[y * pitch + x] = plane[from + columns[x]];
  }
  return { grown, pitch, rows };
}

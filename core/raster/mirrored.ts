import type { Region } from "./region";
import { mirrorIndex } from "./raster";

/** How far a plane must be mirrored beyond its border so that what is kept of it has `reach` px around: nothing inside a larger picture that was cut out so wide. */
export function marginFor(kept: Region, { width, height }: { width: number; height: number }, reach: number): number {
  const { x, y } = kept;
  return Math.max(0, reach - Math.min(x, y, width - x - kept.width, height - y - kept.height));
}

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

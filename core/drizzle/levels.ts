import type { Region } from "../raster";
import { mapPoint } from "../register";
import type { PlannedSub } from "../stack";
import { localLevelsAt } from "../stack";

/** Levels are worked out so many pixels apart, and straight between. */
const STEP = 16;

/**
 * What brings the pixels of a sub to the reference's light and sky: value' = gain · value + offset, row by row of a part of it. The arrays are used again for the
 * next row.
 */
export function levelsOnSub(
  sub: PlannedSub,
  channel: number,
  part: Region,
): (y: number) => { gains: Float64Array; offsets: Float64Array } {
  const columns = Math.ceil(part.width / STEP) + 1;
  const { level, dx, dy } = sub.offset[channel];
  const local = sub.local && localLevelsAt(sub.local, channel);
  const nodeRow = (row: number): [gains: Float64Array, offsets: Float64Array] => {
    const [gains, offsets] = [new Float64Array(columns), new Float64Array(columns)];
    for (let k = 0; k < columns; k++) {
      const [x, y] = mapPoint(sub.toReference, part.x + k * STEP, part.y + row * STEP);
      const [gain, offset] = local ? local(x, y) : [1, 0];
      gains[k] = gain * sub.scale;
      offsets[k] = gain * (level + dx * x + dy * y) + offset;
    }
    return [gains, offsets];
  };
  let rows = { at: -1, above: nodeRow(0), below: nodeRow(0) };
  const [gains, offsets] = [new Float64Array(part.width), new Float64Array(part.width)];
  return (y) => {
    const at = Math.floor(y / STEP);
    if (at !== rows.at) rows = { at, above: at === rows.at + 1 ? rows.below : nodeRow(at), below: nodeRow(at + 1) };
    const down = y / STEP - at;
    for (const [k, out] of [gains, offsets].entries()) {
      const [above, below] = [rows.above[k], rows.below[k]];
      for (let x = 0; x < part.width; x++) {
        const i = Math.floor(x / STEP);
        const across = x / STEP - i;
        const top = above[i] + (above[i + 1] - above[i]) * across;
        out[x] = top + (below[i] + (below[i + 1] - below[i]) * across - top) * down;
      }
    }
    return { gains, offsets };
  };
}

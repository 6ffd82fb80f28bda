import type { CfaPattern } from "../formats";
import { shiftCfa } from "../formats";
import type { CfaCell } from "../kernels";

/** The cell of a pattern as seen from pixel (x, y) of the sensor. */
export function cfaCell(pattern: CfaPattern, x = 0, y = 0): CfaCell {
  const shifted = shiftCfa(pattern, x, y);
  return [0, 1, 2, 3].map((k) => "RGB".indexOf(shifted[k])) as unknown as CfaCell;
}

/** Distance to the next pixel of the same kind along a row or column: 2 in a mosaic, 1 in a mono frame. */
export const pitchOf = (pattern: CfaPattern | null): 1 | 2 => (pattern === null ? 1 : 2);

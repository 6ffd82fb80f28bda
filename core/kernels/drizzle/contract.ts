import type { GridPlaces } from "../resample/contract";
import { blocksOf } from "../resample/contract";

/** Light that fell on the pixels of a region, and the area of the drops that brought it, each times the weight of its frame. */
export interface DropSums {
  columns: number;
  rows: number;
  light: Float32Array;
  area: Float32Array;
}

export interface DrizzleKernels {
  /**
   * Lets the pixels of a plane fall as square drops of `side` px onto `sums`, in place: a drop adds weight · area · value to the light of each pixel that it
   * overlaps, and weight · area to its area. `places`: where the plane's pixels lie in the region. NaN brings nothing; what falls beside the region is lost.
   * Drops lie along the region's axes, whatever the frame's turn. RangeError for planes or matrices of a wrong length, or a side that is not positive.
   * Source: Fruchter & Hook 2002, PASP 114, 144.
   */
  drizzle(plane: Float32Array, places: GridPlaces, side: number, weight: number, sums: DropSums): void;
}

export function checkDrops(plane: Float32Array, places: GridPlaces, side: number, sums: DropSums): void {
  const pixels = sums.columns * sums.rows;
  if (
    plane.length !== places.columns * places.rows ||
    places.matrices.length !== 6 * blocksOf(places).length ||
    sums.light.length !== pixels ||
    sums.area.length !== pixels ||
    !(side > 0)
  )
    throw new RangeError(
      `drops need ${places.columns}×${places.rows} samples, sums of ${pixels} pixels and a side above 0, received ${plane.length}, ${sums.light.length} and ${side}`,
    );
}

/** Interpolation weights by phase: `taps` samples along an axis, at `phases` + 1 positions between two pixels. */
export interface WeightTable {
  taps: 2 | 4 | 6 | 8;
  phases: number;
  /** `(phases + 1) * taps` weights, each row of sum 1. */
  weights: Float32Array;
}

/** Where output pixels lie in the source, in its own pixels; NaN for nowhere. */
export interface RowPlaces {
  xs: Float64Array;
  ys: Float64Array;
}

/** Places of a grid of output pixels: pixel (i, j) lies at (a i + b j + c, d i + e j + f). */
export interface GridPlaces {
  matrix: readonly [a: number, b: number, c: number, d: number, e: number, f: number];
  columns: number;
  rows: number;
}

export interface ResampleKernels {
  /**
   * The value of each plane at each place, interpolated separably. Where a place lies outside the source by more than half a pixel, or any sample
   * under it is NaN, the value is NaN; samples beyond the border repeat the border pixel. A value below the least of the 4 × 4 nearest samples is
   * raised to it. RangeError for places or planes of unequal length.
   */
  resample(
    planes: readonly Float32Array[],
    width: number,
    height: number,
    table: WeightTable,
    places: RowPlaces | GridPlaces,
  ): Float32Array[];
}

export function checkPlaces(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  places: RowPlaces | GridPlaces,
): void {
  const [across, down] = "xs" in places ? [places.xs.length, places.ys.length] : [places.columns, places.columns];
  if (width < 1 || height < 1 || across !== down || planes.some((plane) => plane.length !== width * height))
    throw new RangeError(
      `planes must hold ${width}×${height} samples and places two coordinates each, received ${across} and ${down}`,
    );
}

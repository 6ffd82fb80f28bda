/** Sums and extremes over small windows, the same wherever a crop begins. */
export interface WindowKernels {
  /**
   * out(x, y) = Σ taps(u, v) · plane(x + u, y + v), |u|, |v| ≤ (side − 1)/2, row by row in single precision; mirrored at the border. `side` is odd,
   * `taps` row-major. O(side²) a pixel. RangeError for taps of another number.
   */
  correlate(plane: Float32Array, width: number, height: number, taps: Float32Array, side: number): Float32Array;
  /** The least in the square of `reach` px to each side of each pixel, mirrored at the border. RangeError for a reach that is no whole number above 0. */
  leastAround(plane: Float32Array, width: number, height: number, reach: number): Float32Array;
  /** The most in such squares. */
  mostAround(plane: Float32Array, width: number, height: number, reach: number): Float32Array;
}

export function checkReach(reach: number): void {
  if (!Number.isInteger(reach) || reach < 1)
    throw new RangeError(`a reach is a whole number above 0, received ${reach}`);
}

/** Extremes of the other kind: the most of a plane is the least of its negative. */
export const negated = (plane: Float32Array): Float32Array => plane.map((v) => -v);

export function checkTaps(taps: Float32Array, side: number): void {
  if (side % 2 !== 1 || taps.length !== side * side)
    throw new RangeError(`taps must be side × side with an odd side, received ${taps.length} of side ${side}`);
}

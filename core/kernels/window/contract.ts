/** Sums over small windows, in the same order wherever a crop begins. */
export interface WindowKernels {
  /**
   * out(x, y) = Σ taps(u, v) · plane(x + u, y + v), |u|, |v| ≤ (side − 1)/2, row by row in single precision; mirrored at the border. `side` is odd,
   * `taps` row-major. O(side²) a pixel. RangeError for taps of another number.
   */
  correlate(plane: Float32Array, width: number, height: number, taps: Float32Array, side: number): Float32Array;
}

export function checkTaps(taps: Float32Array, side: number): void {
  if (side % 2 !== 1 || taps.length !== side * side)
    throw new RangeError(`taps must be side × side with an odd side, received ${taps.length} of side ${side}`);
}

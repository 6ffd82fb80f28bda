import type { Psf } from "../convolution/contract";

/** A small filter, applied pixel by pixel. */
export interface FilterKernels {
  /**
   * Correlation with a small filter of odd side, the picture mirrored beyond its border (the border not repeated): as
   * `convolve` for filters that are even, but each pixel by itself, so that a part of a picture gives the bits of the
   * whole. Both sides of the picture must be longer than half the filter's. O(pixels · size²).
   */
  filterSmall(plane: Float32Array, width: number, height: number, filter: Psf): Float32Array;
}

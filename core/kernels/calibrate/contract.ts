/** Masters on the pixels of a plane, null for none, and how they are applied. */
export interface Masters {
  /** Level that is taken off alone, or below a scaled dark. */
  bias: Float32Array | null;
  dark: Float32Array | null;
  flat: Float32Array | null;
  /** How many times the dark less bias is taken off; counts where there are both. */
  darkScale: number;
  /** Mean of the flat for each place of the cell, index (y mod pitch) · pitch + (x mod pitch) from the plane's first pixel on. */
  flatMeans: readonly number[];
  pitch: 1 | 2;
  /** Samples from here on keep at least their height. */
  saturation: number;
  /** Added at the end. */
  pedestal: number;
}

/** Most that a lone hot pixel may leave of its height in the brightest of its eight neighbours. */
export const NEIGHBOUR_SHARE = 0.25;

/** Pixels at the border that are not looked at for outliers. */
export const RIM = 4;

export interface CalibrateKernels {
  /**
   * (plane − off) / (flat / mean) + pedestal, into the plane itself; off is the dark, bias + scale · (dark − bias), the bias or nothing. NaN where the flat
   * is not positive. Returns whether any sample of the result is NaN. RangeError for planes of other lengths.
   */
  applyMasters(plane: Float32Array, width: number, height: number, masters: Masters): boolean;
  /**
   * Pixels that lie more than `limits` (for each place of the cell, from the plane's first pixel on) above the median of their eight neighbours of the same
   * colour while none of the eight pixels around rises above its own colour's median by a quarter as much (1), or below likewise (2); 0 for all others and
   * for the outermost RIM pixels. Neighbours that are NaN are left out of medians.
   */
  loneOutliers(plane: Float32Array, width: number, height: number, pitch: 1 | 2, limits: readonly number[]): Uint8Array;
}

/** Throws RangeError unless each master that is there has the plane's length and each place a mean. */
export function checkMasters(plane: Float32Array, { bias, dark, flat, flatMeans, pitch }: Masters): void {
  for (const [name, master] of Object.entries({ bias, dark, flat }))
    if (master && master.length !== plane.length)
      throw new RangeError(`the ${name} must have ${plane.length} samples as the plane has, received ${master.length}`);
  if (flat && flatMeans.length !== pitch * pitch)
    throw new RangeError(`a flat needs ${pitch * pitch} means, received ${flatMeans.length}`);
}

import type { FitResult, FitSettings } from "../../numeric/leastSquares";
import type { MoffatTable } from "../stars/contract";

/** A square of samples over their σ, and 1/σ of each, row by row. Places in it are counted in px from its first sample. */
export interface FitSquare {
  side: number;
  data: Float64Array;
  inverse: Float64Array;
}

/** How a star looks: the sum of profiles, of each so much. */
export interface StarLook {
  profiles: readonly MoffatTable[];
  shares: readonly number[];
}

export interface PeakRange {
  /** Whether the level slopes. */
  slopes: boolean;
  /** The peak stays within so many px of a place. */
  x: number;
  y: number;
  leashPx: number;
}

/**
 * Fits by least squares after Marquardt (numeric/leastSquares.ts, which plain.ts calls), many thousands for a picture. What stands before the last parameters is a level, or a level with its slopes in x and y from the middle of the square.
 */
export interface FitKernels {
  /** Stars of a known profile over a sloping level: level, slopes, then x, y and height of each. Heights stay above 0, places inside the square. */
  fitPoints(square: FitSquare, look: StarLook, start: Float64Array, settings: Required<FitSettings>): FitResult;
  /** One elliptical Moffat profile h (1 + A dx² + 2 B dx dy + C dy²)^−β over a level: level (and slopes), h, x, y, A, B, C, β. It stays an upright peak of β 1.05 … 20. Moffat 1969, A&A 3, 455. */
  fitPeak(square: FitSquare, range: PeakRange, start: Float64Array, settings: Required<FitSettings>): FitResult;
}

export function checkSquare({ side, data, inverse }: FitSquare, parameters: number, expected: boolean): void {
  if (data.length !== side * side || inverse.length !== side * side || !expected)
    throw new RangeError(
      `a fit takes ${side}×${side} samples with a weight each, received ${data.length} and ${inverse.length}, and ${parameters} parameters`,
    );
}

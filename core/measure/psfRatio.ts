import type { Psf } from "../kernels";
import { filterOf, ratioOf, spectrumOf } from "./spectrum";

/** Side of the grid on which a ratio is made, and half the side that is used of it. */
const GRID = 96;
export const RATIO_RADIUS = 20;

/** The filter that brings what was blurred by `psf` to what `shown` makes of it: G P̄ over |P|² + ε, 41 px to a side, sum 1. A `shown` that is wider than `psf` makes a blur, a narrower one an inverse that goes as far as ε lets it. */
export function psfRatio(psf: Psf, shown: Psf, leastPower: number): Psf {
  return filterOf(ratioOf(spectrumOf(psf, GRID), spectrumOf(shown, GRID), leastPower), GRID, RATIO_RADIUS);
}

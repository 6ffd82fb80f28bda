import { SIGMA_PER_MAD, type Kept, type Limits, type Rejector } from "../kernels";
import { drop, madOf, middleOf } from "./sorted";

/**
 * Drops what lies beyond low·σ below or high·σ above the median, σ being 1.4826 times the median distance to it, which up to half of the values cannot
 * spoil. One round; nothing from fewer than three values. Source: Hampel 1974, JASA 69, 383.
 */
function clipByMad(sorted: Float64Array, _: number, limits: Limits, kept: Kept): void {
  if (kept.end - kept.first < 3) return;
  const median = middleOf(sorted, kept);
  const sigma = SIGMA_PER_MAD * madOf(sorted, median, kept);
  drop(sorted, kept, median - limits.low * sigma, median + limits.high * sigma);
}

export const medianDistance: Rejector = {
  id: "mad",
  label: "beyond σ of the median distance",
  narrow: clipByMad,
  twin: 3,
};

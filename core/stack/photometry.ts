import type { ListedStar } from "../measure";
import { medianInPlace } from "../raster";

/**
 * What a sub must be multiplied by to have the reference's starlight: the median flux ratio of matched stars that are not
 * saturated, of SNR > 40 if there are eight of them, else > 12; 1 where no pair is fit for photometry.
 */
export function photometricScale(sub: ListedStar[], reference: ListedStar[], pairs: [number, number][]): number {
  const usable = (least: number) =>
    pairs
      .filter(
        ([i, j]) => !sub[i].saturated && !reference[j].saturated && Math.min(sub[i].snr, reference[j].snr) > least,
      )
      .map(([i, j]) => reference[j].flux / sub[i].flux);
  const clear = usable(40);
  const ratios = clear.length >= 8 ? clear : usable(12);
  return ratios.length > 0 ? medianInPlace(Float64Array.from(ratios)) : 1;
}

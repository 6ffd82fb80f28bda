import type { Psf } from "../kernels";

/** FWHM over σ. */
const FWHM = Math.sqrt(8 * Math.LN2);
/** The kernel is cut off where it has fallen to e^−8 of its height. */
const REACH_SIGMA = 4;

/** How far the kernel of a Gaussian goes. */
export const gaussianReach = (fwhmPx: number): number => Math.max(1, Math.ceil((REACH_SIGMA * fwhmPx) / FWHM));

/** A Gaussian of so many px at half height, of sum 1. */
export function gaussianPsf(fwhmPx: number): Psf {
  const radius = gaussianReach(fwhmPx);
  const size = 2 * radius + 1;
  const perR2 = (4 * Math.LN2) / fwhmPx ** 2;
  const values = Float32Array.from({ length: size * size }, (_, k) =>
    Math.exp(-perR2 * (((k % size) - radius) ** 2 + (Math.floor(k / size) - radius) ** 2)),
  );
  const sum = values.reduce((a, b) => a + b, 0);
  return { size, values: values.map((v) => v / sum) };
}

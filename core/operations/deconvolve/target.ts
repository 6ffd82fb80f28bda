/** The narrowest stars that the sampling carries, in px, and as a share of those before. */
const [NARROWEST_PX, NARROWEST_SHARE] = [1.8, 0.6];

/** FWHM that is aimed at, in px, for stars of a FWHM: that itself at a strength of 0, what the sampling carries at 1. */
export const targetFwhm = (fwhm: number, strength: number): number =>
  fwhm - strength * (fwhm - Math.min(fwhm, Math.max(NARROWEST_PX, NARROWEST_SHARE * fwhm)));

import type { Psf } from "../kernels";
import { fftSquareInPlace } from "../numeric/fft";

/** A telescope, the air above it, and the pixels behind it. */
export interface TelescopeBlur {
  apertureMm: number;
  /** Diameter of what stands in the middle of the aperture, as a share of its own: 0 … below 1. */
  obstruction: number;
  wavelengthNm: number;
  arcsecPerPx: number;
  /** FWHM that the air alone gives a star, in arcsec; 0 for none. */
  seeingArcsec: number;
}

/** Side of the grid of frequencies; a PSF goes at most so far from its middle. */
const GRID = 128;
export const TELESCOPE_RADIUS = 40;
/** What lies beyond the pixels' own frequencies is folded back so many times. */
const FOLDS = 2;
const RADIANS_PER_ARCSEC = Math.PI / 648_000;

/** FWHM in px, nearly: that of an open aperture's disc (1.03 λ/D) and of the air, as squares. */
export const telescopeFwhm = ({ apertureMm, wavelengthNm, arcsecPerPx, seeingArcsec }: TelescopeBlur): number =>
  Math.hypot((1.03e-6 * wavelengthNm) / apertureMm / RADIANS_PER_ARCSEC, seeingArcsec) / arcsecPerPx;

/**
 * Transfer (1 … 0) of a round aperture with a round obstruction at a frequency as a share of its limit D/λ.
 * Source: O'Neill 1956, J. Opt. Soc. Am. 46, 285 (with its erratum, ibid. 1096).
 */
export function apertureTransfer(share: number, obstruction: number): number {
  if (share >= 1) return 0;
  const disc = (v: number) => (v >= 1 ? 0 : (2 / Math.PI) * (Math.acos(v) - v * Math.sqrt(1 - v * v)));
  const e = obstruction;
  if (e === 0) return disc(share);
  return (disc(share) + e * e * disc(share / e) + crossed(share, e)) / (1 - e * e);
}

/** What is taken off where one disc's obstruction lies in the other's opening. */
function crossed(share: number, e: number): number {
  if (share >= (1 + e) / 2) return 0;
  if (share <= (1 - e) / 2) return -2 * e * e;
  const phi = Math.acos((1 + e * e - 4 * share * share) / (2 * e));
  const turned = Math.atan(((1 + e) / (1 - e)) * Math.tan(phi / 2));
  return (
    ((2 * e) / Math.PI) * Math.sin(phi) +
    ((1 + e * e) / Math.PI) * phi -
    ((2 * (1 - e * e)) / Math.PI) * turned -
    2 * e * e
  );
}

/**
 * The PSF of a long exposure through a telescope and turbulent air, on square pixels that take all light that falls on them: sum 1, `radius` px to each side (at most TELESCOPE_RADIUS).
 * Its transfer is the product of the aperture's (apertureTransfer), the air's exp(−3.44 (λ f/r₀)^(5/3)) with r₀ = 0.976 λ/FWHM, and the pixel's; sampled coarser than the light, what is beyond half a cycle per px is folded back.
 * Source: Fried 1966, J. Opt. Soc. Am. 56, 1372.
 */
export function telescopePsf(blur: TelescopeBlur, radius: number): Psf {
  const { apertureMm, obstruction, wavelengthNm, arcsecPerPx, seeingArcsec } = blur;
  if (!(
    apertureMm > 0 &&
    wavelengthNm > 0 &&
    arcsecPerPx > 0 &&
    obstruction >= 0 &&
    obstruction < 1 &&
    seeingArcsec >= 0
  ))
    throw new RangeError(
      `a telescope's blur needs aperture, wavelength and scale > 0 and an obstruction below 1, received ${JSON.stringify(blur)}`,
    );
  const limit = (apertureMm / (1e-6 * wavelengthNm)) * RADIANS_PER_ARCSEC * arcsecPerPx;
  const seeingPx = seeingArcsec / arcsecPerPx;
  const sinc = (f: number) => (f === 0 ? 1 : Math.sin(Math.PI * f) / (Math.PI * f));
  const transfer = (u: number, v: number) => {
    const f = Math.hypot(u, v);
    if (f >= limit) return 0;
    const air = Math.exp(-3.44 * ((f * seeingPx) / 0.976) ** (5 / 3));
    return apertureTransfer(f / limit, obstruction) * air * sinc(u) * sinc(v);
  };
  const folds = Array.from({ length: 2 * FOLDS + 1 }, (_, k) => k - FOLDS);
  const re = Float64Array.from({ length: GRID * GRID }, (_, k) => {
    const [u, v] = [
      (((k % GRID) + GRID / 2) % GRID) / GRID - 0.5,
      ((Math.floor(k / GRID) + GRID / 2) % GRID) / GRID - 0.5,
    ];
    return folds.reduce((sum, i) => folds.reduce((part, j) => part + transfer(u + i, v + j), sum), 0);
  });
  fftSquareInPlace(re, new Float64Array(GRID * GRID), GRID, true);
  const reach = Math.min(radius, TELESCOPE_RADIUS);
  const size = 2 * reach + 1;
  const values = Float32Array.from({ length: size * size }, (_, k) => {
    const [x, y] = [(k % size) - reach, Math.floor(k / size) - reach];
    return Math.max(0, re[((y + GRID) % GRID) * GRID + ((x + GRID) % GRID)]);
  });
  const sum = values.reduce((total, v) => total + v, 0);
  return { size, values: values.map((v) => v / sum) };
}

import type { Psf } from "../kernels";

/** FWHM of a Moffat profile (1 + r²/α²)^−β: 2 α √(2^(1/β) − 1). Source: Moffat 1969, A&A 3, 455. */
export function moffatFwhm(alpha: number, beta: number): number {
  return 2 * alpha * Math.sqrt(2 ** (1 / beta) - 1);
}

export function moffatAlpha(fwhm: number, beta: number): number {
  return fwhm / (2 * Math.sqrt(2 ** (1 / beta) - 1));
}

export interface MoffatShape {
  /** FWHM along the long and the short axis, in px. */
  fwhmMajor: number;
  fwhmMinor: number;
  /** Direction of the long axis in radians, from x towards y. */
  angle: number;
  beta: number;
}

/**
 * A Moffat PSF sampled at pixel centres, sum 1. Its radius is where the profile has fallen to 1e-4 of the peak, at least 3
 * and at most `maxRadius` px.
 */
export function moffatPsf(shape: MoffatShape, maxRadius = 24): Psf {
  const { fwhmMajor, fwhmMinor, angle, beta } = shape;
  if (!(fwhmMinor > 0) || !(fwhmMajor > 0) || !(beta > 1))
    throw new RangeError(`a Moffat PSF needs FWHM > 0 and beta > 1, received ${fwhmMajor}, ${fwhmMinor}, ${beta}`);
  const reach = moffatAlpha(fwhmMajor, beta) * Math.sqrt(1e4 ** (1 / beta) - 1);
  const radius = Math.min(maxRadius, Math.max(3, Math.ceil(reach)));
  const size = 2 * radius + 1;
  const values = new Float32Array(size * size);
  const cos = Math.cos(angle);
  const sin = Math.sin(angle);
  const major = moffatAlpha(fwhmMajor, beta);
  const minor = moffatAlpha(fwhmMinor, beta);
  let sum = 0;
  for (let i = 0; i < values.length; i++) {
    const x = (i % size) - radius;
    const y = Math.floor(i / size) - radius;
    const u = (x * cos + y * sin) / major;
    const v = (y * cos - x * sin) / minor;
    values[i] = (1 + u * u + v * v) ** -beta;
    sum += values[i];
  }
  for (let i = 0; i < values.length; i++) values[i] /= sum;
  return { size, values };
}

/** A circular Moffat PSF. */
export function roundPsf(fwhm: number, beta: number, maxRadius = 24): Psf {
  return moffatPsf({ fwhmMajor: fwhm, fwhmMinor: fwhm, angle: 0, beta }, maxRadius);
}

import type { MoffatTable, Psf } from "../kernels";
import { profileAt } from "../kernels";

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
 * A Moffat PSF sampled at pixel centres, sum 1. Its radius is where the profile has fallen to `least` of the peak, at least 3
 * and at most `maxRadius` px.
 */
export function moffatPsf(shape: MoffatShape, maxRadius = 24, least = 1e-4): Psf {
  const { fwhmMajor, fwhmMinor, angle, beta } = shape;
  if (!(fwhmMinor > 0) || !(fwhmMajor > 0) || !(beta > 1))
    throw new RangeError(`a Moffat PSF needs FWHM > 0 and beta > 1, received ${fwhmMajor}, ${fwhmMinor}, ${beta}`);
  const reach = moffatAlpha(fwhmMajor, beta) * Math.sqrt(least ** (-1 / beta) - 1);
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

/** The mean of PSFs: how the mean of channels is blurred. */
export function meanPsf(shapes: readonly MoffatShape[], maxRadius = 24): Psf {
  const each = shapes.map((shape) => moffatPsf(shape, maxRadius));
  const size = Math.max(...each.map((psf) => psf.size));
  const values = new Float32Array(size * size);
  for (const psf of each) {
    const at = (size - psf.size) / 2;
    psf.values.forEach(
      (v, k) => (values[(Math.floor(k / psf.size) + at) * size + (k % psf.size) + at] += v / each.length),
    );
  }
  return { size, values };
}

/** A circular Moffat PSF. */
export function roundPsf(fwhm: number, beta: number, maxRadius = 24): Psf {
  return moffatPsf({ fwhmMajor: fwhm, fwhmMinor: fwhm, angle: 0, beta }, maxRadius);
}

/** How far out a Moffat profile has fallen to 1/`times` of its height, in px; 0 where it never stood so high. */
export const moffatRadius = (fwhm: number, beta: number, times: number): number =>
  moffatAlpha(fwhm, beta) * Math.sqrt(Math.max(0, times ** (1 / beta) - 1));

/** A profile of height 1 at a distance (dx, dy). */
export type Profile = (dx: number, dy: number) => number;

/** Steps of a profile's table, even in distance. */
const TABLE = 4096;

/** An elliptical Moffat profile out to `farthest` px, powers in a table to 1e-4 of the height, since a crop asks for millions. Source: Moffat 1969, A&A 3, 455. */
export function moffatTable({ fwhmMajor, fwhmMinor, angle, beta }: MoffatShape, farthest = 32): MoffatTable {
  const [major, minor] = [moffatAlpha(fwhmMajor, beta), moffatAlpha(fwhmMinor, beta)];
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  const a = (cos / major) ** 2 + (sin / minor) ** 2;
  const b = cos * sin * (1 / major ** 2 - 1 / minor ** 2);
  const c = (sin / major) ** 2 + (cos / minor) ** 2;
  const scale = TABLE / (Math.sqrt(2) * (farthest / minor));
  const powers = new Float64Array(TABLE + 2);
  for (let k = 0; k < powers.length; k++) powers[k] = (1 + (k / scale) ** 2) ** -beta;
  return { a, b, c, beta, scale, powers };
}

/** The same as a function of the place. */
export function moffatProfile(shape: MoffatShape, farthest = 32): Profile {
  const table = moffatTable(shape, farthest);
  return (dx, dy) => profileAt(table, dx, dy)[0];
}

import { levenbergMarquardt } from "../numeric/leastSquares";
import { moffatFwhm } from "./psf";

export interface StarFit {
  x: number;
  y: number;
  /** Height above the local background, and that background. */
  peak: number;
  background: number;
  fwhmMajor: number;
  fwhmMinor: number;
  /** Direction of the long axis in radians, from x towards y. */
  angle: number;
  beta: number;
}

/**
 * An elliptical Moffat p (1 + A dx² + 2 B dx dy + C dy²)^−β at a place, its values from `from` on: p, x, y, A, B, C, β. Its slopes by them, `weight` times, go into the same places of `gradient`.
 */
export function ellipticMoffat(
  values: Float64Array,
  from: number,
  x: number,
  y: number,
  weight: number,
  gradient: Float64Array,
): number {
  const a = values[from + 3];
  const b = values[from + 4];
  const c = values[from + 5];
  const beta = values[from + 6];
  const dx = x - values[from + 1];
  const dy = y - values[from + 2];
  const t = 1 + a * dx * dx + 2 * b * dx * dy + c * dy * dy;
  const log = Math.log(t);
  // t to the −β, at half the price of a power.
  const shape = Math.exp(-beta * log);
  const value = values[from] * shape;
  const slope = (-beta * weight * value) / t;
  gradient[from] = weight * shape;
  gradient[from + 1] = slope * -2 * (a * dx + b * dy);
  gradient[from + 2] = slope * -2 * (b * dx + c * dy);
  gradient[from + 3] = slope * dx * dx;
  gradient[from + 4] = slope * 2 * dx * dy;
  gradient[from + 5] = slope * dy * dy;
  gradient[from + 6] = -weight * value * log;
  return value;
}

/** Whether values are those of an upright peak of a β that fits a star. */
export const isPeak = (values: Float64Array, from: number): boolean =>
  values[from] > 0 &&
  values[from + 3] > 0 &&
  values[from + 3] * values[from + 5] - values[from + 4] * values[from + 4] > 0 &&
  values[from + 6] > 1.05 &&
  values[from + 6] < 20;

/** Full widths at half maximum along the long and the short axis. */
export function widthsAt(values: Float64Array, from: number): { fwhmMajor: number; fwhmMinor: number } {
  const [a, b, c, beta] = values.subarray(from + 3, from + 7);
  const [middle, split] = [(a + c) / 2, Math.hypot((a - c) / 2, b)];
  return {
    fwhmMajor: moffatFwhm(1 / Math.sqrt(middle - split), beta),
    fwhmMinor: moffatFwhm(1 / Math.sqrt(middle + split), beta),
  };
}

/**
 * Fits an elliptical Moffat profile with its own background,
 * I = b + p (1 + A dx² + 2 B dx dy + C dy²)^−β, to the pixels within `radius` of (x0, y0) by least squares.
 * Null where the box leaves the picture, holds NaN, or the fit does not settle on a star inside it.
 * Source: Moffat 1969, A&A 3, 455; fit after Marquardt 1963.
 */
export function fitMoffat(
  plane: Float32Array,
  width: number,
  height: number,
  x0: number,
  y0: number,
  radius: number,
  guess: { peak: number; background: number; fwhm: number },
): StarFit | null {
  const cx = Math.round(x0);
  const cy = Math.round(y0);
  if (cx - radius < 0 || cy - radius < 0 || cx + radius >= width || cy + radius >= height) return null;
  const size = 2 * radius + 1;
  const data = new Float64Array(size * size);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) data[y * size + x] = plane[(cy - radius + y) * width + cx - radius + x];
  if (data.some((v) => v !== v) || !(guess.peak > 0)) return null;
  const alpha2 = (guess.fwhm / 2) ** 2 / (2 ** (1 / 3) - 1);
  const unit = guess.peak;
  for (let i = 0; i < data.length; i++) data[i] = (data[i] - guess.background) / unit;
  const start = Float64Array.from([0, 1, x0 - cx, y0 - cy, 1 / alpha2, 0, 1 / alpha2, 3]);
  const fit = levenbergMarquardt(
    data,
    start,
    (p, i, gradient) => {
      gradient[0] = 1;
      return p[0] + ellipticMoffat(p, 1, (i % size) - radius, Math.floor(i / size) - radius, 1, gradient);
    },
    (p) => isPeak(p, 1) && Math.abs(p[2]) < radius && Math.abs(p[3]) < radius,
  );
  const [background, peak, dx, dy, a, b, c, beta] = fit.parameters;
  const { fwhmMajor, fwhmMinor } = widthsAt(fit.parameters, 1);
  if (!(fwhmMajor > 0.3) || fwhmMajor > 2 * size || Math.hypot(dx - (x0 - cx), dy - (y0 - cy)) > radius / 2)
    return null;
  return {
    x: cx + dx,
    y: cy + dy,
    peak: peak * unit,
    background: background * unit + guess.background,
    fwhmMajor,
    fwhmMinor,
    angle: 0.5 * Math.atan2(-2 * b, c - a),
    beta,
  };
}

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
      const dx = (i % size) - radius - p[2];
      const dy = Math.floor(i / size) - radius - p[3];
      const t = 1 + p[4] * dx * dx + 2 * p[5] * dx * dy + p[6] * dy * dy;
      const log = Math.log(t);
      // t to the −β, at half the price of a power.
      const shape = Math.exp(-p[7] * log);
      const value = p[1] * shape;
      const slope = (-p[7] * value) / t;
      gradient[0] = 1;
      gradient[1] = shape;
      gradient[2] = slope * -2 * (p[4] * dx + p[5] * dy);
      gradient[3] = slope * -2 * (p[5] * dx + p[6] * dy);
      gradient[4] = slope * dx * dx;
      gradient[5] = slope * 2 * dx * dy;
      gradient[6] = slope * dy * dy;
      gradient[7] = -value * log;
      return p[0] + value;
    },
    (p) =>
      p[1] > 0 &&
      p[4] > 0 &&
      p[4] * p[6] - p[5] * p[5] > 0 &&
      p[7] > 1.05 &&
      p[7] < 20 &&
      Math.abs(p[2]) < radius &&
      Math.abs(p[3]) < radius,
  );
  const [background, peak, dx, dy, a, b, c, beta] = fit.parameters;
  const middle = (a + c) / 2;
  const split = Math.hypot((a - c) / 2, b);
  const fwhmMajor = moffatFwhm(1 / Math.sqrt(middle - split), beta);
  const fwhmMinor = moffatFwhm(1 / Math.sqrt(middle + split), beta);
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

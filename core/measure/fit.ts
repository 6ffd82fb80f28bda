import type { Kernels } from "../kernels";
import { moffatFwhm } from "./psf";

/** Fits end where another step would lower what is left by less than this share. */
const SETTLED = { maxIterations: 40, leastGain: 1e-7 };

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
  kernels: Kernels,
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
  const start = Float64Array.from([0, 1, radius + x0 - cx, radius + y0 - cy, 1 / alpha2, 0, 1 / alpha2, 3]);
  const square = { side: size, data, inverse: new Float64Array(data.length).fill(1) };
  const fit = kernels.fitPeak(square, { slopes: false, x: radius, y: radius, leashPx: radius }, start, SETTLED);
  const [background, peak, x, y, a, b, c, beta] = fit.parameters;
  const [dx, dy] = [x - radius, y - radius];
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

import type { Kernels } from "../kernels";
import { medianInPlace, robustSpread } from "../raster";
import { backgroundPlane, measureBackground } from "./background";
import type { StarFit } from "./fit";
import { fitMoffat } from "./fit";

export interface Star {
  /** Centroid, 0-based, pixel centres at integers. */
  x: number;
  y: number;
  /** Sum above the local background within 1.6 FWHM, in units of the picture. */
  flux: number;
  /** Height of the brightest pixel above the background. */
  peak: number;
  /** Height in the matched band over the noise of that band. */
  snr: number;
  saturated: boolean;
  /** The fitted profile; null for faint, saturated or crowded stars. */
  fit: StarFit | null;
}

export interface StarOptions {
  /** Least height in the matched band over its noise. @default 5 */
  threshold?: number;
  /** Samples at or above this value are saturated. @default 0.95 */
  saturation?: number;
  /** At most this many of the brightest usable stars are fitted. @default 70 */
  fits?: number;
}

/**
 * Finds stars: the background mesh is subtracted, a band of starlet scales (the difference of two B3 smoothings, close to
 * a matched filter for FWHM 2 … 6 px) is compared with its own noise, and every local maximum above the threshold that
 * falls off on all sides (a filament does not) and is not sharper than the stars (a cosmic-ray hit is) counts.
 * Close stars are told apart where the band has two maxima. Stars come brightest first. NaN pixels are taken as background.
 * Sources: Stetson 1987, PASP 99, 191 (matched filter, sharpness); Bertin & Arnouts 1996 (background, deblending).
 */
export function findStars(
  plane: Float32Array,
  width: number,
  height: number,
  kernels: Kernels,
  options: StarOptions = {},
): Star[] {
  const { threshold = 5, saturation = 0.95, fits = 70 } = options;
  const background = backgroundPlane(measureBackground(plane, width, height));
  const clean = plane.map((v, i) => (v === v ? v - background[i] : 0));
  const fine = kernels.starletSmooth(clean, width, height, 0);
  const coarse = kernels.starletSmooth(kernels.starletSmooth(fine, width, height, 1), width, height, 2);
  const band = fine.map((v, i) => v - coarse[i]);
  const sigma = robustSpread(band).sigma;
  if (!(sigma > 0)) return [];
  const peaks = localMaxima(band, width, height, threshold * sigma);
  const candidates = peaks.filter((i) => fallsOffOnAllSides(band, width, i % width, Math.floor(i / width), height));
  const fwhm = typicalFwhm(clean, width, height, candidates, band, (i) => plane[i] >= saturation);
  const stars: Star[] = [];
  for (const i of candidates) {
    const star = measureStar(plane, clean, band, width, height, i, fwhm, sigma, saturation);
    if (star) stars.push(star);
  }
  stars.sort((a, b) => b.flux - a.flux);
  fitBrightest(stars, clean, width, height, fwhm, fits);
  return stars;
}

function localMaxima(band: Float32Array, width: number, height: number, least: number): number[] {
  const found: number[] = [];
  for (let y = 2; y < height - 2; y++)
    for (let x = 2; x < width - 2; x++) {
      const i = y * width + x;
      const v = band[i];
      if (
        v > least &&
        v >= band[i - 1] &&
        v > band[i + 1] &&
        v >= band[i - width] &&
        v > band[i + width] &&
        v >= band[i - width - 1] &&
        v >= band[i - width + 1] &&
        v > band[i + width - 1] &&
        v > band[i + width + 1]
      )
        found.push(i);
    }
  return found.sort((a, b) => band[b] - band[a]);
}

/** Along each of four axes at least one end, 4 px away, must be below half the peak: true for stars, not for filaments. */
function fallsOffOnAllSides(band: Float32Array, width: number, x: number, y: number, height: number): boolean {
  const peak = band[y * width + x];
  for (const [dx, dy] of [
    [4, 0],
    [0, 4],
    [3, 3],
    [3, -3],
  ]) {
    const at = (px: number, py: number): number =>
      px < 0 || py < 0 || px >= width || py >= height ? 0 : band[py * width + px];
    if (Math.min(at(x + dx, y + dy), at(x - dx, y - dy)) > 0.5 * peak) return false;
  }
  return true;
}

/** Median FWHM of Moffat fits to up to 12 bright unsaturated peaks; 3 px where none can be fitted. */
function typicalFwhm(
  clean: Float32Array,
  width: number,
  height: number,
  candidates: number[],
  band: Float32Array,
  saturated: (i: number) => boolean,
): number {
  const widths: number[] = [];
  for (const i of candidates) {
    if (widths.length >= 12) break;
    if (saturated(i) || !(clean[i] > 0) || clean[i] > 6 * band[i]) continue;
    const guess = { peak: clean[i], background: 0, fwhm: 3 };
    const fit = fitMoffat(clean, width, height, i % width, Math.floor(i / width), 9, guess);
    if (fit && fit.fwhmMinor > 0.6 * fit.fwhmMajor && fit.fwhmMinor > 1.2) widths.push(Math.sqrt(fit.fwhmMajor * fit.fwhmMinor));
  }
  return widths.length > 0 ? medianInPlace(Float32Array.from(widths)) : 3;
}

function measureStar(
  plane: Float32Array,
  clean: Float32Array,
  band: Float32Array,
  width: number,
  height: number,
  i: number,
  fwhm: number,
  sigma: number,
  saturation: number,
): Star | null {
  const px = i % width;
  const py = Math.floor(i / width);
  const local = annulusMedian(clean, width, height, px, py, 2 * fwhm + 1, 2 * fwhm + 4);
  const { x, y } = centroid(clean, width, height, px, py, fwhm, local);
  const reach = Math.ceil(1.6 * fwhm);
  let flux = 0;
  let peak = -Infinity;
  let saturated = false;
  let around = 0;
  for (let dy = -reach; dy <= reach; dy++)
    for (let dx = -reach; dx <= reach; dx++) {
      const sx = px + dx;
      const sy = py + dy;
      if (sx < 0 || sy < 0 || sx >= width || sy >= height) continue;
      const k = sy * width + sx;
      const v = clean[k] - local;
      const share = 1.6 * fwhm + 0.5 - Math.hypot(sx - x, sy - y);
      if (share > 0) flux += v * Math.min(1, share);
      if (Math.abs(dx) <= 1 && Math.abs(dy) <= 1) {
        if (v > peak) peak = v;
        if (dx !== 0 || dy !== 0) around += v / 8;
        if (plane[k] >= saturation) saturated = true;
      }
    }
  if (!(flux > 0) || !(peak > 0)) return null;
  // A hit on single pixels: the eight neighbours hold much less than those of a star of this FWHM would.
  const centre = clean[i] - local;
  const expected = Math.exp(-2.1 / fwhm ** 2 / 0.36);
  if (!saturated && centre > 8 * sigma && around < 0.45 * expected * centre) return null;
  return { x, y, flux, peak, snr: band[i] / sigma, saturated, fit: null };
}

/**
 * Centroid under a Gaussian window of the star's own width, iterated until it moves by less than 1e-4 px; the window is
 * what keeps noise and neighbours out. Source: Bertin & Arnouts 1996 (windowed positions).
 */
function centroid(clean: Float32Array, width: number, height: number, x0: number, y0: number, fwhm: number, local: number) {
  const sigma2 = (fwhm / 2.3548) ** 2;
  const reach = Math.ceil(1.5 * fwhm);
  let x = x0;
  let y = y0;
  for (let round = 0; round < 20; round++) {
    let sum = 0;
    let sumX = 0;
    let sumY = 0;
    for (let sy = Math.max(0, y0 - reach); sy <= Math.min(height - 1, y0 + reach); sy++)
      for (let sx = Math.max(0, x0 - reach); sx <= Math.min(width - 1, x0 + reach); sx++) {
        const w = Math.exp(-((sx - x) ** 2 + (sy - y) ** 2) / (2 * sigma2)) * (clean[sy * width + sx] - local);
        sum += w;
        sumX += w * (sx - x);
        sumY += w * (sy - y);
      }
    if (!(sum > 0)) break;
    const stepX = (2 * sumX) / sum;
    const stepY = (2 * sumY) / sum;
    if (Math.hypot(x + stepX - x0, y + stepY - y0) > fwhm) break;
    x += stepX;
    y += stepY;
    if (Math.hypot(stepX, stepY) < 1e-4) break;
  }
  return { x, y };
}

function annulusMedian(clean: Float32Array, width: number, height: number, x: number, y: number, r0: number, r1: number) {
  const values: number[] = [];
  const reach = Math.ceil(r1);
  for (let dy = -reach; dy <= reach; dy++)
    for (let dx = -reach; dx <= reach; dx++) {
      const r = Math.hypot(dx, dy);
      const sx = x + dx;
      const sy = y + dy;
      if (r >= r0 && r <= r1 && sx >= 0 && sy >= 0 && sx < width && sy < height) values.push(clean[sy * width + sx]);
    }
  return values.length > 0 ? medianInPlace(Float32Array.from(values)) : 0;
}

/** Fits profiles to the brightest stars that are not saturated, alone within 3 FWHM and well above the noise. */
function fitBrightest(stars: Star[], clean: Float32Array, width: number, height: number, fwhm: number, most: number): void {
  const radius = Math.max(5, Math.ceil(2.2 * fwhm));
  let fitted = 0;
  for (const star of stars) {
    if (fitted >= most) break;
    if (star.saturated || star.snr < 12) continue;
    const crowded = stars.some(
      (other) =>
        other !== star && Math.hypot(other.x - star.x, other.y - star.y) < 3 * fwhm && other.flux > 0.03 * star.flux,
    );
    if (crowded) continue;
    const fit = fitMoffat(clean, width, height, star.x, star.y, radius, { peak: star.peak, background: 0, fwhm });
    if (!fit || fit.fwhmMinor < 0.4 * fwhm || fit.fwhmMajor > 3 * fwhm) continue;
    star.fit = fit;
    star.x = fit.x;
    star.y = fit.y;
    fitted++;
  }
}

import type { BandPeaks, Kernels } from "../kernels";
import { BAND_CELL } from "../kernels";
import { medianInPlace, mirrorIndex, difference } from "../raster";
import type { BackgroundMesh } from "./background";
import type { Patch } from "./centroid";
import { centroid } from "./centroid";
import { measureBackground } from "./background";
import type { StarFit } from "./fit";
import { fitMoffat } from "./fit";
import { moffatAlpha } from "./psf";
import type { Ring } from "./ring";
import { ringBetween, ringMedian } from "./ring";

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
  /** 1 for each pixel that is saturated (saturation.ts); null for none. @default null */
  saturated?: Uint8Array | null;
  /** At most this many of the brightest usable stars are fitted. @default 70 */
  fits?: number;
  /** Take the stars that were found off and search once more beside them. @default true */
  searchAgain?: boolean;
  /** Whether the plane may be overwritten with itself less its background, which saves memory. @default false */
  overwrite?: boolean;
  /** The background of this plane, where it was measured already. */
  background?: BackgroundMesh;
}

/**
 * Finds stars. The background mesh is subtracted; a band of starlet scales (the difference of two B3 smoothings, close to a
 * matched filter for FWHM 2 … 6 px) is compared with its noise in the quiet parts, and every local maximum counts that is
 * above the threshold, falls off on all sides (a filament does not), is as compact as the stars (a knot of gas is not) and
 * not sharper than they are (a cosmic-ray hit is). Then a Moffat profile of each star is taken off and the rest is searched
 * once more, for faint stars beside bright ones. Stars come brightest first. NaN pixels are taken as background.
 * Sources: Stetson 1987, PASP 99, 191 (matched filter, sharpness, subtract and search again); Bertin & Arnouts 1996.
 */
export function findStars(
  plane: Float32Array,
  width: number,
  height: number,
  kernels: Kernels,
  options: StarOptions = {},
): Star[] {
  const { threshold = 5, saturated = null, fits = 70, searchAgain = true } = options;
  const background = options.background ?? measureBackground(plane, width, height, kernels);
  const into = options.overwrite ? plane : undefined;
  const first = kernels.bandPeaks(plane, width, height, background, (quiet) => threshold * quiet, into);
  const { clean, quiet } = first;
  const frame: Frame = { clean, width, height, saturated };
  if (!(quiet > 0)) return [];
  const peaks = peaksOf(first).filter(
    (peak) => !isHotPixel(frame, peak.at, quiet) && peak.ridge < 0.25 + (1.2 * quiet) / peak.height,
  );
  const { fwhm, beta } = typicalShape(frame, peaks, kernels);
  const ring = ringBetween(2 * fwhm + 1, 2 * fwhm + 4);
  const compactness = typicalCompactness(frame, peaks, quiet);
  const measureAll = (picture: Float32Array, candidates: Peak[]) => {
    const on = { ...frame, clean: picture };
    // Row after row: a large picture is far away from the core, and neighbours lie in what was just fetched.
    return candidates
      .toSorted((a, b) => a.at - b.at)
      .filter((peak) => isStarlike(on, peak, compactness, threshold, first))
      .flatMap((peak) => measureStar(on, peak, fwhm, quiet, ring, kernels) ?? []);
  };
  const stars = measureAll(clean, peaks);
  if (searchAgain) {
    const { rest, peaks: hidden } = hiddenPeaks(frame, stars, fwhm, beta, threshold * quiet, kernels);
    stars.push(...measureAll(rest, hidden));
  }
  stars.sort((a, b) => b.flux - a.flux);
  fitBrightest(stars, frame, fwhm, fits, kernels);
  return stars;
}

/** A peak of the matched band: its pixel, the band there, and how much of a ridge it is. */
interface Peak {
  at: number;
  height: number;
  ridge: number;
}

/** The highest first. */
function peaksOf({ at, height, ridge }: BandPeaks): Peak[] {
  const peaks: Peak[] = [];
  for (let k = 0; k < at.length; k++) peaks.push({ at: at[k], height: height[k], ridge: ridge[k] });
  return peaks.sort((a, b) => b.height - a.height);
}

/** What a second search finds beside known stars once their profiles are taken off, and the picture without them. */
function hiddenPeaks(
  { clean, width, height }: Frame,
  stars: Star[],
  fwhm: number,
  beta: number,
  least: number,
  kernels: Kernels,
): { rest: Float32Array; peaks: Peak[] } {
  const model = new Float32Array(clean.length);
  for (const star of stars) if (!star.saturated) addProfile(model, width, height, star, fwhm, beta);
  const rest = difference(clean, model);
  const found = peaksOf(kernels.bandPeaks(rest, width, height, null, () => least));
  return { rest, peaks: found.filter((peak) => isHidden(peak, model, stars, width, fwhm)) };
}

/** The picture that is searched, less its background. */
interface Frame {
  clean: Float32Array;
  width: number;
  height: number;
  saturated: Uint8Array | null;
}

/** B3 spline smoothing once, and at distances 1 and 2 one after the other, along an axis from −6 to 6 px. */
const ONCE = [0, 0, 0, 0, 1, 4, 6, 4, 1, 0, 0, 0, 0].map((w) => w / 16);
const TWICE = [1, 4, 10, 20, 31, 40, 44, 40, 31, 20, 10, 4, 1].map((w) => w / 256);

/** The finer part of the band (scale 2) at a pixel: what one smoothing leaves less what two leave. */
function fineAt({ clean, width, height }: Frame, i: number): number {
  const [x, y] = [i % width, Math.floor(i / width)];
  let fine = 0;
  for (let v = -6; v <= 6; v++) {
    const line = mirrorIndex(y + v, height) * width;
    let once = 0;
    let twice = 0;
    for (let u = -6; u <= 6; u++) {
      const value = clean[line + mirrorIndex(x + u, width)];
      once += ONCE[u + 6] * value;
      twice += TWICE[u + 6] * value;
    }
    fine += ONCE[v + 6] * once - TWICE[v + 6] * twice;
  }
  return fine;
}

/** σ of the band at a pixel: 0.9 of its cell's, where structure raises it, but at least the quiet one. */
const noiseAt = ({ quiet, cells, columns }: BandPeaks, x: number, y: number): number =>
  Math.max(quiet, 0.9 * cells[Math.floor(y / BAND_CELL) * columns + Math.floor(x / BAND_CELL)]);

/** Share of the finer part in the band, at the peaks of the clearest stars; 0 where there are fewer than 8. */
function typicalCompactness(frame: Frame, peaks: Peak[], sigma: number): number {
  const clear = peaks.filter(({ height }) => height > 20 * sigma).slice(0, 60);
  return clear.length < 8 ? 0 : medianInPlace(Float64Array.from(clear, ({ at, height }) => fineAt(frame, at) / height));
}

/**
 * Above the noise of its surroundings and not much wider than the stars (the share of the fine part is known to about
 * 0.8 / SNR); or, where structure raises that noise, above the quiet noise and clearly star-shaped.
 */
function isStarlike(
  frame: Frame,
  { at, height, ridge }: Peak,
  typical: number,
  threshold: number,
  noise: BandPeaks,
): boolean {
  const snr = height / noiseAt(noise, at % frame.width, Math.floor(at / frame.width));
  const share = fineAt(frame, at) / height;
  if (snr > threshold) return share > typical * 0.8 - 0.8 / snr;
  return height > 1.2 * threshold * noise.quiet && share > typical * 0.88 && ridge < 0.18;
}

/** A maximum of what is left beside known stars: near one, apart from all, and above a tenth of what was taken off there. */
function isHidden(
  { at, height, ridge }: Peak,
  model: Float32Array,
  known: Star[],
  width: number,
  fwhm: number,
): boolean {
  const x = at % width;
  const y = Math.floor(at / width);
  const distance = (star: Star) => Math.hypot(star.x - x, star.y - y);
  return (
    height > 0.1 * model[at] &&
    known.every((star) => distance(star) > (star.saturated ? 3 : 0.8) * fwhm) &&
    known.some((star) => distance(star) < 4 * fwhm) &&
    ridge < 0.37
  );
}

/** Adds a round Moffat profile of the star's height; the peak pixel stands for the height at the star's position. */
function addProfile(model: Float32Array, width: number, height: number, star: Star, fwhm: number, beta: number): void {
  const alpha2 = moffatAlpha(fwhm, beta) ** 2;
  const px = Math.round(star.x);
  const py = Math.round(star.y);
  const top = star.peak * (1 + ((px - star.x) ** 2 + (py - star.y) ** 2) / alpha2) ** beta;
  const reach = Math.ceil(Math.min(10, 3 + Math.log10(1 + star.snr)) * fwhm);
  for (let y = Math.max(0, py - reach); y <= Math.min(height - 1, py + reach); y++)
    for (let x = Math.max(0, px - reach); x <= Math.min(width - 1, px + reach); x++)
      model[y * width + x] += top * (1 + ((x - star.x) ** 2 + (y - star.y) ** 2) / alpha2) ** -beta;
}

/** Median FWHM and β of Moffat fits to up to 12 bright unsaturated peaks; 3 px and 3 where none can be fitted. */
function typicalShape(frame: Frame, candidates: Peak[], kernels: Kernels): { fwhm: number; beta: number } {
  const { clean, width, height, saturated } = frame;
  const fits: StarFit[] = [];
  for (const { at: i, height: band } of candidates) {
    if (fits.length >= 12) break;
    if (saturated?.[i] === 1 || !(clean[i] > 0) || clean[i] > 6 * band) continue;
    const guess = { peak: clean[i], background: 0, fwhm: 3 };
    const fit = fitMoffat(clean, width, height, i % width, Math.floor(i / width), 9, guess, kernels);
    if (fit && fit.fwhmMinor > 0.6 * fit.fwhmMajor && fit.fwhmMinor > 1.2) fits.push(fit);
  }
  if (fits.length === 0) return { fwhm: 3, beta: 3 };
  return {
    fwhm: medianInPlace(Float64Array.from(fits, (fit) => Math.sqrt(fit.fwhmMajor * fit.fwhmMinor))),
    beta: medianInPlace(Float64Array.from(fits, (fit) => fit.beta)),
  };
}

/** A star of FWHM 1.3 px has 0.11 of its height in the mean of the eight pixels around its peak (Gaussian), a hot pixel nothing. */
const HIT_SHARE = 0.08;

/** … where it rises by as much as this over the noise of the band, some eight times the noise of a pixel. */
const CLEAR = 40;

/**
 * Whether a peak is a clear pixel by itself. Where no dark was taken off there are more of them
 * than stars, and they would say what stars look like.
 */
function isHotPixel({ clean, width, height }: Frame, i: number, sigma: number): boolean {
  const x = i % width;
  if (!(clean[i] > CLEAR * sigma) || x < 1 || x > width - 2 || i < width || i >= width * (height - 1)) return false;
  let sum = -clean[i];
  for (const k of [i - width, i, i + width]) sum += clean[k - 1] + clean[k] + clean[k + 1];
  return sum / 8 < HIT_SHARE * clean[i];
}

/** Measures the star at a peak of the picture, in the second search less known stars. */
function measureStar(
  frame: Frame,
  { at, height: band }: Peak,
  fwhm: number,
  sigma: number,
  ring: Ring,
  kernels: Kernels,
): Star | null {
  const { clean, width, height, saturated: mask } = frame;
  const px = at % width;
  const py = Math.floor(at / width);
  const reach = Math.ceil(1.6 * fwhm);
  const sharp = sharpAround(frame, px, py, reach, kernels);
  const sharpAt = (x: number, y: number): number => sharp.values[(y - sharp.top) * sharp.pitch + x - sharp.left];
  let saturated = false;
  let highest = -Infinity;
  let around = 0;
  // The 3 × 3 around, those beyond the border left out.
  for (let y = Math.max(0, py - 1); y <= Math.min(height - 1, py + 1); y++)
    for (let x = Math.max(0, px - 1); x <= Math.min(width - 1, px + 1); x++) {
      const k = y * width + x;
      saturated ||= mask !== null && mask[k] === 1;
      highest = Math.max(highest, clean[k]);
      if (k !== at) around += sharpAt(x, y) / 8;
    }
  // A hit on single pixels: the eight neighbours hold much less than those of a star of this FWHM would.
  const centre = sharpAt(px, py);
  const expected = Math.exp(-2.1 / fwhm ** 2 / 0.36);
  if (!saturated && centre > 8 * sigma && around < 0.45 * expected * centre) return null;
  const local = ringMedian(clean, width, height, px, py, ring);
  const { x, y } = centroid(sharp, px, py, fwhm);
  let flux = 0;
  let sharpFlux = 0;
  for (let sy = sharp.top; sy <= sharp.bottom; sy++)
    for (let sx = sharp.left; sx <= sharp.right; sx++) {
      const share = Math.min(1, 1.6 * fwhm + 0.5 - Math.sqrt((sx - x) * (sx - x) + (sy - y) * (sy - y)));
      if (!(share > 0)) continue;
      flux += (clean[sy * width + sx] - local) * share;
      sharpFlux += sharpAt(sx, sy) * share;
    }
  let peak = highest - local;
  // Among filaments the ring around a faint star may be brighter than the star; then the detail alone counts.
  if (!(flux > 0)) flux = sharpFlux;
  if (!(peak > 0)) peak = centre;
  if (!(flux > 0) || !(peak > 0)) return null;
  return { x, y, flux, peak, snr: band / sigma, saturated, fit: null };
}

/** The picture less what three smoothings leave of it, on the square of `reach` px about a pixel as far as it lies inside. */
function sharpAround({ clean, width, height }: Frame, px: number, py: number, reach: number, kernels: Kernels): Patch {
  const values = kernels.coarseAround(clean, width, height, px, py, reach);
  const pitch = 2 * reach + 1;
  const [x0, y0] = [px - reach, py - reach];
  const [left, top] = [Math.max(0, x0), Math.max(0, y0)];
  const [right, bottom] = [Math.min(width - 1, px + reach), Math.min(height - 1, py + reach)];
  for (let y = top; y <= bottom; y++)
    for (let x = left, k = (y - y0) * pitch + left - x0; x <= right; x++, k++)
      values[k] = clean[y * width + x] - values[k];
  return { values: values.subarray((top - y0) * pitch + left - x0), pitch, left, top, right, bottom };
}

/** Fits profiles to the brightest stars that are not saturated, alone within 3 FWHM and well above the noise. */
function fitBrightest(
  stars: Star[],
  { clean, width, height }: Frame,
  fwhm: number,
  most: number,
  kernels: Kernels,
): void {
  const radius = Math.max(5, Math.ceil(2.2 * fwhm));
  const isNear = (a: Star, b: Star) => (a.x - b.x) * (a.x - b.x) + (a.y - b.y) * (a.y - b.y) < 9 * fwhm * fwhm;
  let fitted = 0;
  for (const star of stars) {
    if (fitted >= most) break;
    if (star.saturated || star.snr < 12) continue;
    const crowded = stars.some((other) => other !== star && isNear(other, star) && other.flux > 0.03 * star.flux);
    if (crowded) continue;
    const guess = { peak: star.peak, background: 0, fwhm };
    const fit = fitMoffat(clean, width, height, star.x, star.y, radius, guess, kernels);
    if (!fit || fit.fwhmMinor < 0.4 * fwhm || fit.fwhmMajor > 3 * fwhm) continue;
    star.fit = fit;
    star.x = fit.x;
    star.y = fit.y;
    fitted++;
  }
}

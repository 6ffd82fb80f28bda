import type { Kernels } from "../kernels";
import { medianInPlace, mirrorIndex, nextAtLeast, quantile } from "../raster";
import type { BackgroundMesh } from "./background";
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
  const first = bandsOf(plane, width, height, background, kernels, options.overwrite);
  const clean = first.picture;
  const frame: Frame = { clean, width, height, saturated };
  const noise = bandNoise(first.band, width, height, kernels);
  if (!(noise.quiet > 0)) return [];
  const peaks = localMaxima(first, width, height, threshold * noise.quiet).filter(
    (i) =>
      !isHotPixel(frame, i, noise.quiet) &&
      ridgeShare(first.band, width, height, i) < 0.25 + (1.2 * noise.quiet) / first.band[i],
  );
  const { fwhm, beta } = typicalShape(frame, peaks, first.band);
  const ring = ringBetween(2 * fwhm + 1, 2 * fwhm + 4);
  const compactness = typicalCompactness(first, peaks, noise.quiet);
  const measureAll = (bands: Bands, picture: Float32Array, candidates: number[]) =>
    candidates
      .filter((i) => isStarlike(bands, width, height, i, compactness, threshold, noise))
      .flatMap((i) => measureStar(frame, picture, bands, i, fwhm, noise.quiet, ring) ?? []);
  const stars = measureAll(first, clean, peaks);
  if (searchAgain) stars.push(...hiddenStars(frame, first, stars, fwhm, beta, threshold * noise.quiet, measureAll));
  stars.sort((a, b) => b.flux - a.flux);
  fitBrightest(stars, frame, fwhm, fits);
  return stars;
}

/** What a second search finds beside known stars once their profiles are taken off. */
function hiddenStars(
  { clean, width, height }: Frame,
  first: Bands,
  stars: Star[],
  fwhm: number,
  beta: number,
  least: number,
  measureAll: (bands: Bands, picture: Float32Array, candidates: number[]) => Star[],
): Star[] {
  const model = new Float32Array(clean.length);
  for (const star of stars) if (!star.saturated) addProfile(model, width, height, star, fwhm, beta);
  const rest = clean.map((v, i) => v - model[i]);
  const second = first.again(rest);
  const hidden = localMaxima(second, width, height, least).filter((i) =>
    isHidden(second.band, model, stars, width, height, i, fwhm),
  );
  return measureAll(second, rest, hidden);
}

/** The picture that is searched, less its background. */
interface Frame {
  clean: Float32Array;
  width: number;
  height: number;
  saturated: Uint8Array | null;
}

/** The matched band (scales 2 and 3), what is coarser than it, and the picture itself, less its background. */
interface Bands {
  band: Float32Array;
  /** The largest value of each chunk of the band. */
  maxima: Float32Array;
  coarse: Float32Array;
  picture: Float32Array;
  width: number;
  height: number;
  /** The same bands of another picture of this size. */
  again(picture: Float32Array): Bands;
}

function bandsOf(
  plane: Float32Array,
  width: number,
  height: number,
  background: BackgroundMesh | null,
  kernels: Kernels,
  overwrite = false,
): Bands {
  const into = overwrite ? plane : undefined;
  const { clean, band, coarse } = kernels.detectionBands(plane, width, height, background, into);
  const again = (other: Float32Array) => bandsOf(other, width, height, null, kernels);
  return { band, maxima: kernels.chunkMaxima(band), coarse, picture: clean, width, height, again };
}

/** B3 spline smoothing at distances 1 and 2, one after the other, as one filter of 13 taps. */
const TWICE = [1, 4, 10, 20, 31, 40, 44, 40, 31, 20, 10, 4, 1].map((w) => w / 256);

/** The finer part of the band (scale 2) at a pixel: what one smoothing leaves less what two leave. Wanted at few, so it is not kept as a plane. */
function fineAt({ band, coarse, picture, width, height }: Bands, i: number): number {
  const [x, y] = [i % width, Math.floor(i / width)];
  let twice = 0;
  for (let v = -6; v <= 6; v++) {
    const line = mirrorIndex(y + v, height) * width;
    let row = 0;
    for (let u = -6; u <= 6; u++) row += TWICE[u + 6] * picture[line + mirrorIndex(x + u, width)];
    twice += TWICE[v + 6] * row;
  }
  return band[i] + coarse[i] - twice;
}

/** The picture less what is coarser than the band, at a pixel. */
const sharpAt = ({ picture, coarse }: Bands, i: number): number => picture[i] - coarse[i];

interface BandNoise {
  quiet: number;
  at(x: number, y: number): number;
}

/**
 * σ of the band: in the quiet parts (the lower quartile of the robust σ of 64 px cells), and at a place (0.9 of its cell's, where
 * structure raises it, but at least the quiet one).
 */
function bandNoise(band: Float32Array, width: number, height: number, kernels: Kernels): BandNoise {
  const CELL = 64;
  const columns = Math.ceil(width / CELL);
  const rows = Math.ceil(height / CELL);
  // Every second pixel of every second row tells σ of a cell to 3 % (neighbours in the band are much alike); with thousands of
  // cells every fourth is enough for their quartile.
  const step = columns * rows > 1000 ? 4 : 2;
  const values = new Float32Array((CELL / step) ** 2);
  const cells = Array.from({ length: columns * rows }, (_, k) => {
    const x1 = Math.min(width, ((k % columns) + 1) * CELL);
    const y1 = Math.min(height, (Math.floor(k / columns) + 1) * CELL);
    let n = 0;
    for (let y = y1 - 1; y >= Math.floor(k / columns) * CELL; y -= step)
      for (let x = x1 - 1; x >= (k % columns) * CELL; x -= step) values[n++] = band[y * width + x];
    return kernels.robustSpread(values.subarray(0, n)).sigma;
  });
  const quiet = quantile(cells, 0.25);
  const at = (x: number, y: number) =>
    Math.max(quiet, 0.9 * cells[Math.floor(y / CELL) * columns + Math.floor(x / CELL)]);
  return { quiet, at };
}

/** Share of the finer part in the band, at the peaks of the clearest stars; 0 where there are fewer than 8. */
function typicalCompactness(bands: Bands, peaks: number[], sigma: number): number {
  const { band } = bands;
  const clear = peaks.filter((i) => band[i] > 20 * sigma).slice(0, 60);
  return clear.length < 8 ? 0 : medianInPlace(Float64Array.from(clear, (i) => fineAt(bands, i) / band[i]));
}

/**
 * Above the noise of its surroundings and not much wider than the stars (the share of the fine part is known to about
 * 0.8 / SNR); or, where structure raises that noise, above the quiet noise and clearly star-shaped.
 */
function isStarlike(
  bands: Bands,
  width: number,
  height: number,
  i: number,
  typical: number,
  threshold: number,
  noise: BandNoise,
): boolean {
  const { band } = bands;
  const snr = band[i] / noise.at(i % width, Math.floor(i / width));
  const share = fineAt(bands, i) / band[i];
  if (snr > threshold) return share > typical * 0.8 - 0.8 / snr;
  return band[i] > 1.2 * threshold * noise.quiet && share > typical * 0.88 && ridgeShare(band, width, height, i) < 0.18;
}

/** A maximum of what is left beside known stars: near one, apart from all, and above a tenth of what was taken off there. */
function isHidden(
  band: Float32Array,
  model: Float32Array,
  known: Star[],
  width: number,
  height: number,
  i: number,
  fwhm: number,
): boolean {
  const x = i % width;
  const y = Math.floor(i / width);
  const distance = (star: Star) => Math.hypot(star.x - x, star.y - y);
  return (
    band[i] > 0.1 * model[i] &&
    known.every((star) => distance(star) > (star.saturated ? 3 : 0.8) * fwhm) &&
    known.some((star) => distance(star) < 4 * fwhm) &&
    ridgeShare(band, width, height, i) < 0.37
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

function localMaxima({ band, maxima }: Bands, width: number, height: number, least: number): number[] {
  const found: number[] = [];
  const end = (height - 2) * width;
  for (let i = nextAtLeast(band, 2 * width, least, maxima); i < end; i = nextAtLeast(band, i + 1, least, maxima)) {
    const x = i % width;
    const v = band[i];
    if (
      x >= 2 &&
      x < width - 2 &&
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

/**
 * How much a peak is a ridge: along each of four axes the lower of the two values 4 px away, over the peak; the largest of
 * the four. Near 0 for a star even beside another, near 1 on a filament.
 */
function ridgeShare(band: Float32Array, width: number, height: number, i: number): number {
  const x = i % width;
  const y = Math.floor(i / width);
  const at = (px: number, py: number): number =>
    px < 0 || py < 0 || px >= width || py >= height ? 0 : band[py * width + px];
  let most = 0;
  for (const [dx, dy] of [
    [4, 0],
    [0, 4],
    [3, 3],
    [3, -3],
  ])
    most = Math.max(most, Math.min(at(x + dx, y + dy), at(x - dx, y - dy)) / band[i]);
  return most;
}

/** Median FWHM and β of Moffat fits to up to 12 bright unsaturated peaks; 3 px and 3 where none can be fitted. */
function typicalShape(frame: Frame, candidates: number[], band: Float32Array): { fwhm: number; beta: number } {
  const { clean, width, height, saturated } = frame;
  const fits: StarFit[] = [];
  for (const i of candidates) {
    if (fits.length >= 12) break;
    if (saturated?.[i] === 1 || !(clean[i] > 0) || clean[i] > 6 * band[i]) continue;
    const guess = { peak: clean[i], background: 0, fwhm: 3 };
    const fit = fitMoffat(clean, width, height, i % width, Math.floor(i / width), 9, guess);
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

/** Whether a peak is a clear pixel by itself. Where no dark was taken off there are more of them than stars, and they would tell what stars look like. */
function isHotPixel({ clean, width, height }: Frame, i: number, sigma: number): boolean {
  const x = i % width;
  if (!(clean[i] > CLEAR * sigma) || x < 1 || x > width - 2 || i < width || i >= width * (height - 1)) return false;
  let sum = -clean[i];
  for (const k of [i - width, i, i + width]) sum += clean[k - 1] + clean[k] + clean[k + 1];
  return sum / 8 < HIT_SHARE * clean[i];
}

/** Measures the star at pixel i of `picture` (the frame less its background, and less known stars in the second search). */
function measureStar(
  { width, height, saturated: mask }: Frame,
  picture: Float32Array,
  bands: Bands,
  i: number,
  fwhm: number,
  sigma: number,
  ring: Ring,
): Star | null {
  const px = i % width;
  const py = Math.floor(i / width);
  // Pixels of the 3 × 3 around, those beyond the border left out.
  const near: number[] = [];
  for (let y = Math.max(0, py - 1); y <= Math.min(height - 1, py + 1); y++)
    for (let x = Math.max(0, px - 1); x <= Math.min(width - 1, px + 1); x++) near.push(y * width + x);
  const saturated = mask !== null && near.some((k) => mask[k] === 1);
  // A hit on single pixels: the eight neighbours hold much less than those of a star of this FWHM would.
  const centre = sharpAt(bands, i);
  const around = near.reduce((sum, k) => (k === i ? sum : sum + sharpAt(bands, k) / 8), 0);
  const expected = Math.exp(-2.1 / fwhm ** 2 / 0.36);
  if (!saturated && centre > 8 * sigma && around < 0.45 * expected * centre) return null;
  const local = ringMedian(picture, width, height, px, py, ring);
  const { x, y } = centroid(bands.picture, bands.coarse, width, height, px, py, fwhm);
  const reach = Math.ceil(1.6 * fwhm);
  let flux = 0;
  let sharpFlux = 0;
  for (let sy = Math.max(0, py - reach); sy <= Math.min(height - 1, py + reach); sy++)
    for (let sx = Math.max(0, px - reach); sx <= Math.min(width - 1, px + reach); sx++) {
      const share = 1.6 * fwhm + 0.5 - Math.sqrt((sx - x) * (sx - x) + (sy - y) * (sy - y));
      if (!(share > 0)) continue;
      const k = sy * width + sx;
      flux += (picture[k] - local) * Math.min(1, share);
      sharpFlux += sharpAt(bands, k) * Math.min(1, share);
    }
  let peak = near.reduce((most, k) => Math.max(most, picture[k] - local), -Infinity);
  // Among filaments the ring around a faint star may be brighter than the star; then the detail alone counts.
  if (!(flux > 0)) flux = sharpFlux;
  if (!(peak > 0)) peak = centre;
  if (!(flux > 0) || !(peak > 0)) return null;
  return { x, y, flux, peak, snr: bands.band[i] / sigma, saturated, fit: null };
}

/** Fits profiles to the brightest stars that are not saturated, alone within 3 FWHM and well above the noise. */
function fitBrightest(stars: Star[], { clean, width, height }: Frame, fwhm: number, most: number): void {
  const radius = Math.max(5, Math.ceil(2.2 * fwhm));
  const isNear = (a: Star, b: Star) => (a.x - b.x) * (a.x - b.x) + (a.y - b.y) * (a.y - b.y) < 9 * fwhm * fwhm;
  let fitted = 0;
  for (const star of stars) {
    if (fitted >= most) break;
    if (star.saturated || star.snr < 12) continue;
    const crowded = stars.some((other) => other !== star && isNear(other, star) && other.flux > 0.03 * star.flux);
    if (crowded) continue;
    const fit = fitMoffat(clean, width, height, star.x, star.y, radius, { peak: star.peak, background: 0, fwhm });
    if (!fit || fit.fwhmMinor < 0.4 * fwhm || fit.fwhmMajor > 3 * fwhm) continue;
    star.fit = fit;
    star.x = fit.x;
    star.y = fit.y;
    fitted++;
  }
}

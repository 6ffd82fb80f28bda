import type { Psf } from "../kernels";
import { fftSquareInPlace } from "../numeric/fft";
import { roundPsf } from "./psf";
import { REACH } from "./covariance";
import { spectrumOf } from "./spectrum";

/** Side of the tiles whose power is measured, and the bins of frequency: bin k from (k + FIRST)/BINS cycles per px on. */
const TILE = 256;
const [BINS, FIRST, LAST] = [128, 4, 60];
const COUNT = LAST - FIRST;
/** The wings of the blur that is looked for, and its widths in px. */
const BETA = 3.5;
const [LEAST_FWHM, MOST_FWHM, STEP] = [1, 9, 0.1];
/** How far the logarithm of a picture's power strays from a power law, and the least that stands above the noise, in its power. */
const [STRAY, ABOVE] = [1, 0.15];
/** What scatters by less than this many times itself is believed. */
const SURE = 1.5;
/** What is so much fainter than the lowest frequencies is what the window and the PSF's own border leave of them. */
const LEAKAGE = 1e-7;
/** So few frequencies above the noise say nothing. */
const LEAST_BINS = 8;
/**
 * Powers by which pictures fall off, and their spread: of surfaces (least error over 72 blurred photographs), and of one
 * bright object on a dark sky, which has edges and belts (planets of three seeds).
 */
export const SLOPES = { surface: [2.7, 0.3], object: [2.8, 0.1] } as const;

/** Power by bin of frequency, and how many frequencies each bin holds. */
export interface RadialPower {
  power: Float64Array;
  count: Float64Array;
}

const binOf = (u: number, v: number, side: number): number => Math.floor((Math.hypot(u, v) / side) * BINS) - FIRST;

/** Calls for each frequency of a grid that lies in a bin. */
function overBins(side: number, visit: (at: number, bin: number) => void): void {
  const signed = (k: number) => (k < side / 2 ? k : k - side);
  for (let v = 0, i = 0; v < side; v++)
    for (let u = 0; u < side; u++, i++) {
      const bin = binOf(signed(u), signed(v), side);
      if (bin >= 0 && bin < COUNT) visit(i, bin);
    }
}

/**
 * Mean power of planes by frequency, of .03 to .47 cycles per px: tiles of 256 px (or the largest power of two that
 * fits), half over half, less their mean, under a Hann window, over its mean square, so that white noise of σ 1 has power 1 in each bin.
 * `planes`: without gaps. Planes smaller than 32 px say nothing. O(pixels · log tile). Source: Welch 1967, IEEE Trans.
 * Audio Electroacoust. 15, 70.
 */
export function radialPower(planes: readonly Sized[]): RadialPower {
  const [power, count] = [new Float64Array(COUNT), new Float64Array(COUNT)];
  for (const of of planes) overTiles(of, (x, y, taper) => addTile(of.plane, of.width, x, y, taper, power, count));
  for (let k = 0; k < COUNT; k++) power[k] /= Math.max(1, count[k]);
  return { power, count };
}

/** A plane, row by row. */
interface Sized {
  plane: Float32Array;
  width: number;
  height: number;
}

/** Calls for each tile of a plane with its corner and the taper along a side. */
function overTiles({ width, height }: Sized, visit: (x: number, y: number, taper: Float64Array) => void): void {
  const side = Math.min(TILE, 2 ** Math.floor(Math.log2(Math.min(width, height))));
  if (side < 32) return;
  const taper = Float64Array.from({ length: side }, (_, k) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (k + 0.5)) / side));
  for (const y of startsOf(height, side)) for (const x of startsOf(width, side)) visit(x, y, taper);
}

/** The mean of planes as radialPower weighs their pixels: of a variance, the power of noise that is white. */
export function windowedMean(planes: readonly Sized[]): number {
  let [sum, weight] = [0, 0];
  for (const of of planes)
    overTiles(of, (x, y, taper) => {
      for (const [v, wv] of taper.entries())
        for (const [u, wu] of taper.entries()) {
          sum += (wu * wv) ** 2 * of.plane[(y + v) * of.width + x + u];
          weight += (wu * wv) ** 2;
        }
    });
  return weight > 0 ? sum / weight : 0;
}

/** Where tiles begin along a side, half of each on the next, from border to border. */
function startsOf(length: number, side: number): number[] {
  const steps = Math.ceil((2 * (length - side)) / side);
  return Array.from({ length: steps + 1 }, (_, k) => (steps === 0 ? 0 : Math.round((k * (length - side)) / steps)));
}

function addTile(
  plane: Float32Array,
  width: number,
  x: number,
  y: number,
  taper: Float64Array,
  power: Float64Array,
  count: Float64Array,
): void {
  const side = taper.length;
  const [re, im] = [new Float64Array(side * side), new Float64Array(side * side)];
  let [mean, weight] = [0, 0];
  for (let v = 0; v < side; v++) for (let u = 0; u < side; u++) mean += plane[(y + v) * width + x + u] / (side * side);
  for (let v = 0, i = 0; v < side; v++)
    for (let u = 0; u < side; u++, i++) {
      const w = taper[u] * taper[v];
      re[i] = w * (plane[(y + v) * width + x + u] - mean);
      weight += w * w;
    }
  fftSquareInPlace(re, im, side, false);
  overBins(side, (i, bin) => {
    power[bin] += (re[i] * re[i] + im[i] * im[i]) / weight;
    count[bin]++;
  });
}

/** Power by bin of noise whose autocovariance to lags of 8 px is known (covariance.ts). */
export function powerOfCovariance(lags: ArrayLike<number>): Float64Array {
  const { re } = spectrumOf({ size: 2 * REACH + 1, values: lags }, BINS);
  const [power, count] = [new Float64Array(COUNT), new Float64Array(COUNT)];
  overBins(BINS, (i, bin) => {
    power[bin] += Math.max(0, re[i]);
    count[bin]++;
  });
  return power.map((sum, k) => sum / count[k]);
}

/** What a round PSF leaves of a wave along an axis, at the middle of each bin. */
function transferOf({ size, values }: Psf): Float64Array {
  const radius = (size - 1) / 2;
  const across = Float64Array.from({ length: size }, (_, x) => {
    let sum = 0;
    for (let y = 0; y < size; y++) sum += values[y * size + x];
    return sum;
  });
  return Float64Array.from({ length: COUNT }, (_, k) =>
    across.reduce((sum, v, x) => sum + v * Math.cos((2 * Math.PI * (k + FIRST + 0.5) * (x - radius)) / BINS), 0),
  );
}

/**
 * FWHM in px of the blur of a picture without stars, from its power by frequency, `noise` the part of it that is noise:
 * the round Moffat of β 3.5 after which ln power = A − s ln f + 2 ln MTF(f) fits best over the frequencies from the
 * lowest up to where noise takes over, s about what pictures have (`slope`: mean and spread). Between 1 (no blur) and
 * 9 px; null where fewer than eight bins stand above the noise. Narrower wings than that are taken for a wider
 * blur, by some 10 % at β 5. Source: after Field 1987, JOSA A 4, 2379 (natural scenes), and Goldstein & Fattal 2012, ECCV
 * (blur from the power of edges); own in its form.
 */
export function blurOfPower(
  { power, count }: RadialPower,
  noise: ArrayLike<number>,
  [mean, spread]: readonly [number, number],
): number | null {
  const rows: { k: number; f: number; y: number; weight: number }[] = [];
  for (let k = 0; k < COUNT; k++) {
    const signal = power[k] - noise[k];
    const scatter = Math.SQRT2 * (power[k] / Math.sqrt(count[k]));
    if (power[k] < LEAKAGE * power[0]) break;
    if (!(signal > ABOVE * noise[k]) || !(signal > SURE * scatter)) break;
    const weight = 1 / (STRAY ** 2 + (scatter / signal) ** 2);
    rows.push({ k, f: Math.log((k + FIRST + 0.5) / BINS), y: Math.log(signal), weight });
  }
  if (rows.length < LEAST_BINS) return null;
  let best = { cost: Infinity, fwhmPx: LEAST_FWHM };
  for (let fwhmPx = LEAST_FWHM; fwhmPx <= MOST_FWHM; fwhmPx += STEP) {
    const transfer = transferOf(roundPsf(fwhmPx, BETA));
    // Weighted least squares in A and s, the latter with what is known of it beforehand.
    let [w, wf, wff, wz, wfz] = [0, 0, 1 / spread ** 2, 0, -mean / spread ** 2];
    const rest = rows.map(({ k, f, y, weight }) => {
      const z = y - 2 * Math.log(Math.max(transfer[k], 1e-9));
      w += weight;
      wf += weight * f;
      wff += weight * f * f;
      wz += weight * z;
      wfz += weight * f * z;
      return z;
    });
    const minusSlope = (w * wfz - wf * wz) / (w * wff - wf * wf);
    const level = (wz - minusSlope * wf) / w;
    const away = rows.reduce((sum, { f, weight }, i) => sum + weight * (rest[i] - level - minusSlope * f) ** 2, 0);
    const cost = away + ((minusSlope + mean) / spread) ** 2;
    if (cost < best.cost) best = { cost, fwhmPx };
  }
  return best.fwhmPx;
}

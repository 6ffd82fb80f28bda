import FFT from "fft.js";
import type { EvidenceViews } from "./views";

/** Correlation of the halves by spatial frequency, before and after the chain. */
export interface RingCorrelation {
  /** Mean power by ring of the stack, of the lane, and of the stack's noise, over that of white noise of σ 1. */
  power: { before: number[]; after: number[]; noise: number[] };
  before: number[];
  after: number[];
  /** The finest period that both halves carry, px (1/7 of correlation); null where they carry none, or all. */
  supportedPx: number | null;
  /** Share of the rings finer than that in which the treated halves agree where the untouched do not. */
  beyond: number;
}

/** Correlation at which the halves' mean reaches a correlation of 1/2 with the truth. Source: Rosenthal & Henderson 2003, J. Mol. Biol. 333, 721. */
const AGREE = 1 / 7;
/** Rings that are measured together. */
const RINGS = 32;
const [SMALLEST, LARGEST] = [64, 512];

/**
 * FRC(k) = Re Σ A B̄ / √(Σ|A|² Σ|B|²) over rings of the spatial frequency, of the largest square of 2ⁿ px in the middle of the views, under a Hann taper. Null without halves, or for places smaller than 64 px. O(n² log n). Source:
 * Saxton & Baumeister 1982, J. Microsc. 127, 127; van Heel 1987, Ultramicroscopy 21, 95.
 */
export function fourierRingCorrelation(views: EvidenceViews): RingCorrelation | null {
  const { halves, treatedHalves, width, height, noise } = views;
  const side = Math.min(LARGEST, 2 ** Math.floor(Math.log2(Math.min(width, height))));
  if (!halves || !treatedHalves || !noise || side < SMALLEST) return null;
  const [x0, y0] = [(width - side) >> 1, (height - side) >> 1];
  const spectra = (a: Float32Array, b: Float32Array) => spectraOf([a, b], width, x0, y0, side);
  const before = correlation(...spectra(halves.a, halves.b), side);
  const after = correlation(...spectra(treatedHalves.a, treatedHalves.b), side);
  const [stack, lane] = spectra(views.before, views.after);
  const [ofNoise] = spectra(noise, noise);
  const power = { before: powerOf(stack, side), after: powerOf(lane, side), noise: powerOf(ofNoise, side) };
  const last = before.findIndex((v, k) => v < AGREE && (before[k + 1] ?? 0) < AGREE);
  const beyond =
    last < 0 ? 0 : after.slice(last).filter((v, k) => v - before[last + k] > 3 * scatterOf(last + k, side)).length;
  return {
    before,
    after,
    power,
    supportedPx: last <= 0 ? null : 1 / ((last / RINGS) * 0.5),
    beyond: last < 0 || last >= RINGS ? 0 : beyond / (RINGS - last),
  };
}

/** Scatter of the correlation in a ring of so many independent waves (half of its samples; a Hann window joins about two and a quarter). */
const scatterOf = (ring: number, side: number): number =>
  1 / Math.sqrt(Math.max(1, (Math.PI * ((2 * ring + 1) * (side / 2 / RINGS) ** 2)) / 2 / 2.25));

interface Spectrum {
  re: Float64Array;
  im: Float64Array;
}

/** Spectra of squares of two planes, each less its mean and under a Hann window: one transform of the first with i times the second, taken apart by its symmetry. */
function spectraOf(
  planes: readonly [Float32Array, Float32Array],
  width: number,
  x0: number,
  y0: number,
  side: number,
): [Spectrum, Spectrum] {
  const window = Float64Array.from({ length: side }, (_, k) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (k + 0.5)) / side));
  const fft = new FFT(side);
  const data = new Float64Array(2 * side * side);
  planes.forEach((plane, part) => {
    let mean = 0;
    for (let y = 0; y < side; y++) for (let x = 0; x < side; x++) mean += plane[(y + y0) * width + x + x0] / side ** 2;
    for (let y = 0; y < side; y++)
      for (let x = 0; x < side; x++)
        data[2 * (y * side + x) + part] = (plane[(y + y0) * width + x + x0] - mean) * window[x] * window[y];
  });
  const [line, out] = [fft.createComplexArray(), fft.createComplexArray()];
  const through = (start: number, stride: number) => {
    for (let k = 0; k < side; k++) {
      line[2 * k] = data[2 * (start + k * stride)];
      line[2 * k + 1] = data[2 * (start + k * stride) + 1];
    }
    fft.transform(out, line);
    for (let k = 0; k < side; k++) {
      data[2 * (start + k * stride)] = out[2 * k];
      data[2 * (start + k * stride) + 1] = out[2 * k + 1];
    }
  };
  for (let y = 0; y < side; y++) through(y * side, 1);
  for (let x = 0; x < side; x++) through(x, side);
  const empty = (): Spectrum => ({ re: new Float64Array(side * side), im: new Float64Array(side * side) });
  const [first, second] = [empty(), empty()];
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) {
      const i = y * side + x;
      const j = ((side - y) % side) * side + ((side - x) % side);
      first.re[i] = (data[2 * i] + data[2 * j]) / 2;
      first.im[i] = (data[2 * i + 1] - data[2 * j + 1]) / 2;
      second.re[i] = (data[2 * i + 1] + data[2 * j + 1]) / 2;
      second.im[i] = (data[2 * j] - data[2 * i]) / 2;
    }
  return [first, second];
}

/** Mean power by ring, over that of white noise of σ 1 under the same window (mean of the window's square: 3/8 each way). */
function powerOf({ re, im }: Spectrum, side: number): number[] {
  const [sums, counts] = [new Float64Array(RINGS), new Float64Array(RINGS)];
  eachRing(side, (ring, i) => {
    sums[ring] += re[i] ** 2 + im[i] ** 2;
    counts[ring]++;
  });
  return Array.from(sums, (sum, k) => sum / counts[k] / (side * side * (3 / 8) ** 2));
}

/** Every wave of the spectrum with its ring, but for the mean and what lies beyond the last ring. */
function eachRing(side: number, tell: (ring: number, i: number) => void): void {
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) {
      const [u, v] = [Math.min(x, side - x), Math.min(y, side - y)];
      const ring = Math.floor((Math.hypot(u, v) / (side / 2)) * RINGS);
      if (ring < RINGS && (u !== 0 || v !== 0)) tell(ring, y * side + x);
    }
}

function correlation(a: Spectrum, b: Spectrum, side: number): number[] {
  const [both, ofA, ofB] = Array.from({ length: 3 }, () => new Float64Array(RINGS));
  eachRing(side, (ring, i) => {
    both[ring] += a.re[i] * b.re[i] + a.im[i] * b.im[i];
    ofA[ring] += a.re[i] ** 2 + a.im[i] ** 2;
    ofB[ring] += b.re[i] ** 2 + b.im[i] ** 2;
  });
  return Array.from(both, (sum, k) => (ofA[k] > 0 && ofB[k] > 0 ? sum / Math.sqrt(ofA[k] * ofB[k]) : 0));
}

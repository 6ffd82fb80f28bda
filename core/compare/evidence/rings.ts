import { fftInPlace } from "../../numeric/fft";
import type { EvidenceViews } from "./views";

/** Correlation of the halves by spatial frequency, before and after the chain. */
export interface RingCorrelation {
  /** Cycles per px. */
  frequencies: number[];
  before: number[];
  after: number[];
  /** The finest period that both halves carry, px (1/7 of correlation); null where they carry none, or all. */
  supportedPx: number | null;
  /** Share of the rings finer than that in which the treated halves agree where the untouched do not. */
  beyond: number;
}

/** Correlation at which the halves' mean reaches a correlation of 1/2 with the truth. Source: Rosenthal & Henderson 2003, J. Mol. Biol. 333, 721. */
const AGREE = 1 / 7;
/** Rings that are told together. */
const RINGS = 32;
const [SMALLEST, LARGEST] = [64, 512];

/**
 * FRC(k) = Re Σ A B̄ / √(Σ|A|² Σ|B|²) over rings of the spatial frequency, of the largest square of 2ⁿ px in the middle of the views, under a Hann taper. Null without halves, or for places smaller than 64 px. O(n² log n). Source:
 * Saxton & Baumeister 1982, J. Microsc. 127, 127; van Heel 1987, Ultramicroscopy 21, 95.
 */
export function ringCorrelation({ halves, treatedHalves, width, height }: EvidenceViews): RingCorrelation | null {
  const side = Math.min(LARGEST, 2 ** Math.floor(Math.log2(Math.min(width, height))));
  if (!halves || !treatedHalves || side < SMALLEST) return null;
  const [x0, y0] = [(width - side) >> 1, (height - side) >> 1];
  const spectrum = (plane: Float32Array) => spectrumOf(plane, width, x0, y0, side);
  const before = correlation(spectrum(halves.a), spectrum(halves.b), side);
  const after = correlation(spectrum(treatedHalves.a), spectrum(treatedHalves.b), side);
  const frequencies = before.map((_, k) => ((k + 0.5) / RINGS) * 0.5);
  const last = before.findIndex((v, k) => v < AGREE && (before[k + 1] ?? 0) < AGREE);
  const beyond =
    last < 0 ? 0 : after.slice(last).filter((v, k) => v - before[last + k] > 3 * scatterOf(last + k, side)).length;
  return {
    ...{ frequencies, before, after },
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

function spectrumOf(plane: Float32Array, width: number, x0: number, y0: number, side: number): Spectrum {
  const window = Float64Array.from({ length: side }, (_, k) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (k + 0.5)) / side));
  let mean = 0;
  for (let y = 0; y < side; y++) for (let x = 0; x < side; x++) mean += plane[(y + y0) * width + x + x0] / side ** 2;
  const [re, im] = [new Float64Array(side * side), new Float64Array(side * side)];
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) re[y * side + x] = (plane[(y + y0) * width + x + x0] - mean) * window[x] * window[y];
  const [u, v] = [new Float64Array(side), new Float64Array(side)];
  const line = (start: number, stride: number) => {
    for (let k = 0; k < side; k++) [u[k], v[k]] = [re[start + k * stride], im[start + k * stride]];
    fftInPlace(u, v, false);
    for (let k = 0; k < side; k++) [re[start + k * stride], im[start + k * stride]] = [u[k], v[k]];
  };
  for (let y = 0; y < side; y++) line(y * side, 1);
  for (let x = 0; x < side; x++) line(x, side);
  return { re, im };
}

function correlation(a: Spectrum, b: Spectrum, side: number): number[] {
  const [both, ofA, ofB] = Array.from({ length: 3 }, () => new Float64Array(RINGS));
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) {
      const [u, v] = [Math.min(x, side - x), Math.min(y, side - y)];
      const ring = Math.floor((Math.hypot(u, v) / (side / 2)) * RINGS);
      if (ring >= RINGS || (u === 0 && v === 0)) continue;
      const i = y * side + x;
      both[ring] += a.re[i] * b.re[i] + a.im[i] * b.im[i];
      ofA[ring] += a.re[i] ** 2 + a.im[i] ** 2;
      ofB[ring] += b.re[i] ** 2 + b.im[i] ** 2;
    }
  return Array.from(both, (sum, k) => (ofA[k] > 0 && ofB[k] > 0 ? sum / Math.sqrt(ofA[k] * ofB[k]) : 0));
}

import * as z from "zod";
import { highPass } from "../kernels";
import { filterVariance } from "../measure";
import { componentsOf } from "./components";
import type { Fact } from "./fact";
import { noiseModel, stabilisedRaster } from "./noiseModel";

/** Scales of the wavelet transform: details of about 2, 4, 8, 16 px. */
export const WAVELET_SCALES = 4;

/** Low-pass of the least asymmetric orthonormal wavelet with four vanishing moments. Source: Daubechies 1992, Ten Lectures, table 6.3 (normalised to Σ taps² = 1). */
export const LEAST_ASYMMETRIC = Float64Array.of(
  ...[-0.07576571478927333, -0.02963552764599851, 0.49761866763201545, 0.8037387518059161],
  ...[0.29785779560527736, -0.09921954357684722, -0.012603967262037833, 0.0322231006040427],
);

/** σ of noise of an autocovariance in each band of the transform: for each scale, finest first, detail across, detail down, both. */
export function waveletSigmas(covariance: readonly number[], taps: Float64Array, scales: number): number[] {
  const [low, high] = [taps, highPass(taps)].map((filter) => filter.map((v) => v * Math.SQRT1_2));
  let smooth: Float64Array = Float64Array.of(1);
  return Array.from({ length: scales }, (_, j) => {
    const [l, h] = [low, high].map((filter) => convolved(smooth, filter, 2 ** j));
    smooth = l;
    return [filterVariance(covariance, h, l), filterVariance(covariance, l, h), filterVariance(covariance, h, h)];
  })
    .flat()
    .map(Math.sqrt);
}

function convolved(a: Float64Array, filter: Float64Array, step: number): Float64Array {
  const out = new Float64Array(a.length + (filter.length - 1) * step);
  a.forEach((v, i) => filter.forEach((tap, k) => (out[i + k * step] += v * tap)));
  return out;
}

const schema = z.object({
  /** Of each component (components.ts): the soft threshold of each band, in the order of waveletSigmas, at which the expected error is least. */
  thresholds: z.array(z.array(z.number())),
});
export type WaveletsFact = z.infer<typeof schema>;

/** Thresholds are tried up to so many σ, so finely. */
const [MOST, STEP] = [6, 0.1];

/** Soft thresholds by Stein's unbiased estimate of the risk, over the picture's own coefficients. Source: Donoho & Johnstone 1995, JASA 90, 1200. */
export const wavelets: Fact<WaveletsFact> = {
  id: "wavelets",
  follows: "patches",
  title: "wavelet thresholds of least expected error",
  schema,
  async measure(input, job) {
    const known = await input.fact(noiseModel);
    const gaps = await input.gaps();
    const pieces = (await input.samples()).map((piece, k) => {
      const { width, height } = piece;
      const { x, y } = input.places[k];
      return { width, height, components: componentsOf(stabilisedRaster(piece, known, x, y)) };
    });
    const thresholds: number[][] = [];
    for (const [c, noise] of known.covariance.entries()) {
      const sigmas = waveletSigmas(noise, LEAST_ASYMMETRIC, WAVELET_SCALES);
      const found: Float32Array[][] = sigmas.map(() => []);
      for (const [p, { width, height, components }] of pieces.entries()) {
        await job.breathe();
        const settings = { taps: LEAST_ASYMMETRIC, scales: WAVELET_SCALES };
        const bands = job.kernels.waveletBands(components[c], width, height, settings);
        bands.forEach((band, k) => found[k].push(band.filter((_, i) => i % 3 === 0 && gaps[p]?.[i] !== 1)));
      }
      thresholds.push(sigmas.map((sigma, k) => sigma * bestThreshold(found[k], sigma)));
    }
    return { thresholds };
  },
  // A noisier picture is treated by the thresholds of this one in its own, larger σ.
  noisier: (value) => value,
};

/** The threshold, in σ, that makes Σ min(c², t²) − 2 σ² #{|c| ≤ t} least. */
function bestThreshold(pieces: readonly Float32Array[], sigma: number): number {
  if (!(sigma > 0)) return 0;
  const steps = Math.round(MOST / STEP);
  // Coefficients by how many steps they lie above 0; what is beyond the last counts alike for all.
  const [count, square] = [new Float64Array(steps + 1), new Float64Array(steps + 1)];
  for (const piece of pieces)
    for (const c of piece) {
      const at = Math.min(steps, Math.floor(Math.abs(c) / sigma / STEP));
      count[at]++;
      square[at] += at < steps ? (c / sigma) ** 2 : 0;
    }
  let [below, squares, best] = [0, 0, { t: 0, risk: Infinity }];
  const all = count.reduce((a, b) => a + b, 0);
  for (let k = 0; k <= steps; k++) {
    const t = k * STEP;
    const risk = squares + t * t * (all - below) - 2 * below;
    if (risk < best.risk) best = { t, risk };
    below += count[k];
    squares += square[k];
  }
  return best.t;
}

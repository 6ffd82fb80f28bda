import { z } from "zod";
import { STARLET_NOISE } from "../measure";
import type { Raster } from "../raster";
import { robustSpread } from "../raster";
import type { Fact } from "./fact";

/** Bins of the signal, each with as many pixels as the others. */
const BINS = 16;
/** Scales of smoothing after which a pixel tells its signal rather than its noise. */
const SMOOTHING = 2;

const schema = z.object({
  /** By channel, rising: the signal in the middle of each bin … */
  signal: z.array(z.array(z.number())),
  /** … and σ per pixel there. */
  sigma: z.array(z.array(z.number())),
  from: z.enum(["halves", "picture"]),
});
export type NoiseCurveFact = z.infer<typeof schema>;

/**
 * Noise against signal: pixels in bins of their smoothed value, the robust σ of (A − B)/2 in each, or, without halves, that of the finest
 * starlet scale over its share of white noise. So the shot noise of bright gas and stars is known without gain or read noise.
 * Source: photon transfer, Janesick 2001, Scientific Charge-Coupled Devices, 2.2, with halves for flat fields.
 */
export const noiseCurve: Fact<NoiseCurveFact> = {
  id: "noiseCurve",
  title: "noise against signal",
  schema,
  async measure(look, job) {
    const samples = await look.samples();
    const halves = await look.halfDifferences();
    const smooth = (plane: Float32Array, { width, height }: Raster, scales: number): Float32Array =>
      Array.from({ length: scales }, (_, j) => j).reduce(
        (before, j) => job.kernels.starletSmooth(before, width, height, j),
        plane,
      );
    const channels = samples[0].planes.map((_, c) => {
      const pairs: [number, number][] = [];
      for (const [k, piece] of samples.entries()) {
        const plane = piece.planes[c];
        const signal = smooth(plane, piece, SMOOTHING);
        const finest = halves ? null : smooth(plane, piece, 1);
        // Every third pixel tells enough, and its neighbours tell the same.
        for (let i = 0; i < plane.length; i += 3) {
          const noise = halves ? halves[k].planes[c][i] : (plane[i] - (finest as Float32Array)[i]) / STARLET_NOISE[0];
          pairs.push([signal[i], noise]);
        }
      }
      pairs.sort((a, b) => a[0] - b[0]);
      const bins = Math.min(BINS, Math.max(1, Math.floor(pairs.length / 32)));
      return Array.from({ length: bins }, (_b, bin) => {
        const part = pairs.slice(
          Math.floor((bin * pairs.length) / bins),
          Math.floor(((bin + 1) * pairs.length) / bins),
        );
        const sigma = robustSpread(Float32Array.from(part, ([, noise]) => noise)).sigma;
        return { signal: part[part.length >> 1]?.[0] ?? 0, sigma: Number.isFinite(sigma) ? sigma : 0 };
      });
    });
    return {
      signal: channels.map((bins) => bins.map(({ signal }) => signal)),
      sigma: channels.map((bins) => bins.map(({ sigma }) => sigma)),
      from: halves ? "halves" : "picture",
    };
  },
  noisier: (value, times) => ({ ...value, sigma: value.sigma.map((channel) => channel.map((v) => v * times)) }),
};

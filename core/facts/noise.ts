import * as z from "zod";
import { noiseCorrelation, scaleNoise, STARLET_NOISE } from "../measure";
import { medianInPlace } from "../raster";
import type { Fact } from "./fact";

const CORRELATION_PIECES = 2;
/** Starlet scales whose noise is measured: details of about 2, 4 … 256 px. */
export const NOISE_SCALES = 7;

const schema = z.object({
  /** σ of the starlet coefficients, by channel and scale; white noise has STARLET_NOISE of its σ there. */
  scales: z.array(z.array(z.number())),
  /** σ per pixel as the finest scale shows it (white noise), by channel. */
  sigma: z.array(z.number()),
  /**
   * Noise per pixel over what the finest scale shows: 1 for white noise, more where neighbours are
   * alike; null where it cannot be known.
   */
  correlation: z.array(z.number().nullable()),
  from: z.enum(["halves", "picture"]),
});
export type NoiseFact = z.infer<typeof schema>;

/**
 * Noise per channel and starlet scale, from (A − B)/2 where there are halves, else from the picture's own fine detail: the median over
 * the pieces of 1.4826 MAD. Source: Starck & Murtagh 1998, PASP 110, 193.
 */
export const noise: Fact<NoiseFact> = {
  id: "noise",
  title: "noise by scale",
  schema,
  async measure(input, job) {
    const halves = await input.halfDifferences();
    const pieces = halves ?? (await input.samples());
    const perPiece = pieces.map(({ planes, width, height }) =>
      planes.map((plane) => scaleNoise(plane, width, height, NOISE_SCALES, job.kernels)),
    );
    // Neighbours are alike everywhere in the same way: a few pieces tell it.
    const correlations = pieces
      .slice(0, CORRELATION_PIECES)
      .map(({ planes, width, height }) => planes.map((plane) => noiseCorrelation(plane, width, height, job.kernels)));
    const scales = pieces[0].planes.map((_, c) =>
      Array.from({ length: NOISE_SCALES }, (_s, scale) => middle(perPiece.map((piece) => piece[c][scale])) ?? 0),
    );
    return {
      scales,
      sigma: scales.map(([finest]) => finest / STARLET_NOISE[0]),
      correlation: pieces[0].planes.map((_, c) => middle(correlations.flatMap((piece) => piece[c] ?? []))),
      from: halves ? "halves" : "picture",
    };
  },
  noisier: (value, times) => ({
    ...value,
    scales: value.scales.map((channel) => channel.map((v) => v * times)),
    sigma: value.sigma.map((v) => v * times),
  }),
};

const middle = (values: number[]): number | null =>
  values.length === 0 ? null : medianInPlace(Float64Array.from(values));

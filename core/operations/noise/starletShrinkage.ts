import { z } from "zod";
import { scaleNoise, STARLET_NOISE } from "../../measure";
import { medianInPlace } from "../../raster";
import type { Operation } from "../operation";

const MAX_SCALES = 7;

const params = z.object({
  strength: z.number().min(0).max(1).default(0.5),
  detail: z.number().min(0).max(1).default(0.5),
  scales: z.number().int().min(1).max(MAX_SCALES).default(5),
});
const context = z.object({
  /** Noise σ of the starlet coefficients, by channel and scale. */
  sigma: z.array(z.array(z.number())),
});

/** Shrinkage begins at k σ with k = 3 · strength: 1.5 σ at half strength, which keeps some grain. */
const K_AT_FULL_STRENGTH = 3;

/**
 * Starlet k-sigma shrinkage: each scale's coefficients are weakened by u²/(1 + u²), u = (|d|/kσ)², where σ is that scale's
 * noise, measured from the halves (else from the picture by MAD); a significant neighbourhood protects weak detail.
 * Source: Starck & Murtagh, Astronomical Image and Data Analysis, ch. 2; smooth shrinkage of the kind of Gao 1998 (garrote).
 */
export const starletShrinkage: Operation<z.infer<typeof params>, z.infer<typeof context>> = {
  id: "noise.starlet",
  version: 1,
  title: "Starlet noise reduction",
  short: "Starlet",
  summary: "Weakens what is no larger than the noise, scale by scale.",
  group: "noise",
  domain: "linear",
  params,
  fields: [
    {
      kind: "number",
      name: "strength",
      label: "Strength",
      hint: "How far above the noise a detail must rise to stay. Half keeps some grain.",
      unit: "",
      min: 0,
      max: 1,
      step: 0.01,
    },
    {
      kind: "number",
      name: "detail",
      label: "Keep detail",
      hint: "Faint detail stays where its neighbourhood shows structure too.",
      unit: "",
      min: 0,
      max: 1,
      step: 0.01,
    },
    {
      kind: "number",
      name: "scales",
      label: "Scales",
      hint: "Size of the largest mottle that is smoothed: 2, 4, 8 … px.",
      unit: "",
      min: 1,
      max: MAX_SCALES,
      step: 1,
    },
  ],
  strength: "strength",
  channels: ["together", "each", "luminance", "chrominance"],
  cropBound: 1e-5,
  context,
  // Scale j looks 2 · 2^j px to each side; their sum over J scales is 2 (2^J − 1), and 1 px for the neighbourhood.
  halo: ({ scales }) => 2 * (2 ** scales - 1) + 1,
  noiseOf: ({ sigma }) => sigma.map((scales) => scales[0] / STARLET_NOISE[0]),
  withNoise: ({ sigma }, factor) => ({ sigma: sigma.map((scales) => scales.map((v) => v * factor)) }),
  contextDependsOn: () => null,
  async prepare(_, look, job) {
    const pieces = (await look.halfDifferences()) ?? (await look.samples());
    const perPiece = pieces.map((piece) =>
      piece.planes.map((plane) => scaleNoise(plane, piece.width, piece.height, MAX_SCALES, job.kernels)),
    );
    const channels = pieces[0].channels;
    return {
      sigma: Array.from({ length: channels }, (_c, c) =>
        Array.from({ length: MAX_SCALES }, (_s, scale) =>
          medianInPlace(Float64Array.from(perPiece, (channel) => channel[c][scale])),
        ),
      ),
    };
  },
  run(region, { strength, detail, scales }, { sigma }, job) {
    const inverseSigma = region.planes.map((_, c) =>
      Array.from({ length: scales }, (_s, scale) => (sigma[c][scale] > 0 ? 1 / sigma[c][scale] : 0)),
    );
    // Without noise there is nothing to shrink; a zero inverse σ would wipe the coefficients out instead.
    if (inverseSigma.every((channel) => channel.every((v) => v === 0))) return region;
    const settings = { inverseSigma, k: K_AT_FULL_STRENGTH * strength, protect: detail };
    return { ...region, planes: job.kernels.starletShrink(region.planes, region.width, region.height, settings) };
  },
};

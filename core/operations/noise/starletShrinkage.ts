import { NOISE_SCALES } from "../../facts";
import { parameters, slider } from "../../parameters";
import type { Operation } from "../operation";

const starletParameters = parameters({
  strength: slider({
    label: "Strength",
    hint: "How far above the noise a detail must rise to stay. At half, noise is softened, not gone.",
    min: 0,
    max: 1,
    step: 0.01,
    default: 0.6,
  }),
  detail: slider({
    label: "Keep detail",
    hint: "Faint detail stays where its neighbourhood shows structure too.",
    min: 0,
    max: 1,
    step: 0.01,
    default: 0.7,
  }),
  scales: slider({
    label: "Scales",
    hint: "Size of the largest mottle that is smoothed: 2, 4, 8 … px.",
    min: 1,
    max: NOISE_SCALES,
    step: 1,
    default: 5,
  }),
});

/** Shrinkage begins at k σ with k = 3 · strength: 1.5 σ at half strength, which keeps some grain. */
const K_AT_FULL_STRENGTH = 3;

/**
 * Starlet k-sigma shrinkage: each scale's coefficients are weakened by u²/(1 + u²), u = (|d|/kσ)², where σ is that scale's
 * noise, measured from the halves (else from the picture by MAD); a significant neighbourhood protects weak detail.
 * Source: Starck & Murtagh, Astronomical Image and Data Analysis, ch. 2; smooth shrinkage of the kind of Gao 1998 (garrote).
 */
export const starletShrinkage: Operation<typeof starletParameters.defaults, "noise"> = {
  id: "noise.starlet",
  version: 1,
  title: "Starlet noise reduction",
  short: "Starlet",
  summary: "Weakens what is no larger than the noise, scale by scale.",
  group: "noise",
  domainIn: "linear",
  domainOut: "either",
  parameters: starletParameters,
  strength: "strength",
  channels: ["together", "each", "luminance", "chrominance"],
  cropBound: 1e-5,
  needs: ["noise"],
  // Scale j looks 2 · 2^j px to each side; their sum over J scales is 2 (2^J − 1), and 1 px for the neighbourhood.
  halo: ({ scales }) => 2 * (2 ** scales - 1) + 1,
  run(region, { strength, detail, scales }, { noise }, job) {
    const inverseSigma = noise.scales.map((sigma) =>
      Array.from({ length: scales }, (_s, scale) => (sigma[scale] > 0 ? 1 / sigma[scale] : 0)),
    );
    // Without noise there is nothing to shrink; a zero inverse σ would wipe the coefficients out instead.
    if (inverseSigma.every((channel) => channel.every((v) => v === 0))) return region;
    const settings = { inverseSigma, k: K_AT_FULL_STRENGTH * strength, protect: detail };
    return { ...region, planes: job.kernels.starletShrink(region.planes, region.width, region.height, settings) };
  },
};

import { NOISE_SCALES } from "../../facts";
import { bandCovariance } from "../../measure";
import { slider } from "../../parameters";
import { noiseApproach } from "./approach";

/**
 * Starlet k-sigma shrinkage: each scale's coefficients are weakened by u²/(1 + u²), u = (|d|/kσ)², where σ is that scale's noise, which follows from how the
 * noise of neighbours correlates; a significant neighbourhood protects weak detail. Version 1 had strength for k: 3 of it.
 * Source: Starck & Murtagh, Astronomical Image and Data Analysis, ch. 2; smooth shrinkage of the kind of Gao 1998 (garrote).
 */
export const starletShrinkage = noiseApproach({
  id: "noise.starlet",
  version: 2,
  title: "Starlet noise reduction",
  short: "Starlet",
  summary: "Weakens what is no larger than the noise, scale by scale.",
  fields: {
    threshold: slider({
      label: "Threshold",
      hint: "How far above the noise of its scale a detail must rise to stay",
      unit: "σ",
      min: 0,
      max: 6,
      step: 0.1,
      default: 3.5,
    }),
    detail: slider({
      label: "Keep detail",
      hint: "Faint detail stays where its neighbourhood shows structure too",
      min: 0,
      max: 1,
      step: 0.01,
      default: 0.7,
    }),
    scales: slider({
      label: "Scales",
      hint: "Size of the largest mottle that is smoothed: 2, 4, 8 … px",
      min: 1,
      max: NOISE_SCALES,
      step: 1,
      default: 5,
    }),
  },
  needs: [],
  migrations: {
    1: ({ strength, ...others }) => ({
      ...others,
      strength: 1,
      threshold: 3 * Number(strength ?? 0.6),
      keepPoints: false,
    }),
  },
  // Scale j looks 2 · 2^j px to each side; their sum over J scales is 2 (2^J − 1), and 1 px for the neighbourhood.
  reach: ({ scales }) => 2 * (2 ** scales - 1) + 1,
  clean({ plane, width, height, covariance }, { threshold, detail, scales }, _facts, job) {
    const noise = Float64Array.from(covariance);
    const inverseSigma = Array.from({ length: scales }, (_, scale) => {
      const [variance] = bandCovariance(noise, scale, 0);
      return variance > 0 ? 1 / Math.sqrt(variance) : 0;
    });
    const settings = { inverseSigma: [inverseSigma], k: threshold, protect: detail };
    return job.kernels.starletShrink([plane], width, height, settings)[0];
  },
});

import { LEAST_ASYMMETRIC, WAVELET_SCALES, waveletSigmas } from "../../facts";
import { waveletReach } from "../../kernels";
import { choice, slider } from "../../parameters";
import { noiseApproach } from "./approach";

/**
 * Orthonormal wavelets in all shifts, soft thresholds: by place, from how much each neighbourhood varies more than noise does, or one for each band, where the expected error is least
 * (facts/wavelets.ts). Sources: Chang, Yu & Vetterli 2000, IEEE TIP 9, 1522; Donoho & Johnstone 1995, JASA 90, 1200.
 */
export const orthogonalWavelets = noiseApproach({
  id: "noise.wavelets",
  version: 1,
  words: {
    title: "Orthogonal wavelets",
    short: "Wavelets",
    summary: "Weakens fine waves that are no larger than the noise, by place or by size.",
  },
  disturbedWeight: 0.35,
  fields: {
    rule: choice({
      label: "Threshold",
      hint: "By place: from how much each neighbourhood varies; by size: one for all places, where the expected error is least",
      options: [
        { value: "bayes", label: "by place" },
        { value: "soft", label: "by size" },
      ],
      default: "bayes",
    }),
    times: slider({
      label: "Threshold times",
      hint: "Higher takes more of what may be noise, lower keeps more of what may be detail",
      min: 0.2,
      max: 3,
      step: 0.05,
      default: 1,
    }),
  },
  needs: () => ["wavelets"],
  reach: () => waveletReach(LEAST_ASYMMETRIC.length, WAVELET_SCALES),
  clean({ plane, width, height, index, covariance, kept }, { rule, times }, { wavelets }, job) {
    const sigma = waveletSigmas(covariance, LEAST_ASYMMETRIC, WAVELET_SCALES);
    const thresholds = rule === "bayes" ? sigma.map(() => times) : wavelets.thresholds[index].map((t) => t * times);
    const settings = { taps: LEAST_ASYMMETRIC, scales: WAVELET_SCALES, sigma, rule, thresholds };
    return job.kernels.waveletShrink(plane, width, height, settings, kept);
  },
});

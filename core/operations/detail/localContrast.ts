import { difference } from "../../raster";
import { keptPixels } from "../varianceStabilised";
import { bandCovariance } from "../../measure";
import { choice, slider } from "../../parameters";
import { detailReach, powerOf, powerReach, raisingOfDetail } from "./raising";

/** Starlet scales from this on (8 px) are contrast rather than detail; the largest is set. */
const FROM = 3;

/**
 * Local contrast with limited gain: structure of 8 px and more, × gain where it is weak, × less and less where it is strong already: 1 + (gain − 1)/(1 + s/enough), s its local strength over the noise of a pixel.
 * After Lee 1980, IEEE PAMI 2, 165 (local statistics); limit and gate own.
 */
export const localContrast = raisingOfDetail({
  id: "detail.local-contrast",
  version: 1,
  words: {
    title: "Local contrast",
    short: "Contrast",
    summary: "Raises weak structure of 8 px and more, strong structure less.",
  },
  fields: {
    gain: slider({
      label: "Most gain",
      hint: "What the weakest structure above the noise is multiplied by",
      min: 1.05,
      max: 5,
      step: 0.05,
      default: 2,
    }),
    enough: slider({
      label: "Strong from",
      hint: "Contrast, in noise of a pixel, from which on structure counts as strong and is raised by less than half of that",
      unit: "σ",
      min: 0.5,
      max: 50,
      step: 0.5,
      default: 5,
    }),
    largest: choice({
      label: "Up to",
      hint: "Size of the largest structure that is raised",
      options: [
        { value: "8", label: "8 px" },
        { value: "16", label: "16 px" },
        { value: "32", label: "32 px" },
      ],
      default: "32",
    }),
  },
  reach: ({ largest }) => detailReach(Math.log2(Number(largest))) + powerReach(Math.log2(Number(largest))),
  raise(even, { gain, enough, largest }, share, job) {
    const { plane, width, height, covariance } = even;
    const kept = keptPixels(even);
    const noise = Float64Array.from(covariance);
    const out = plane.slice();
    let current = plane;
    for (let scale = 0; 2 ** scale <= Number(largest); scale++) {
      const smooth = job.kernels.starletSmooth(current, width, height, scale);
      if (scale >= FROM) {
        const variance = bandCovariance(noise, scale, 0)[0];
        const detail = difference(current, smooth);
        const power = powerOf(detail, width, height, variance, scale, job);
        for (const i of kept) {
          const strong = power ? Math.sqrt(Math.max(0, power[i] - 1) * variance) / enough : 0;
          out[i] += ((power ? share(power[i], variance) : 1) * (gain - 1) * detail[i]) / (1 + strong);
        }
      }
      current = smooth;
    }
    return out;
  },
});

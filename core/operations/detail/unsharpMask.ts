import { difference } from "../../raster";
import { gaussianPsf, gaussianReach } from "../gaussianPsf";
import { slider } from "../../parameters";
import { powerOf, powerReach, raisingOfDetail } from "./raising";

const SIGMA_OVER_FWHM = 1 / Math.sqrt(8 * Math.LN2);

/** The starlet smoothing that is about as wide as the mask. */
const scaleOf = (widthPx: number): number => Math.max(0, Math.min(4, Math.round(Math.log2(Math.max(1, widthPx / 2)))));

/** Variance of what a plane has over its Gaussian mean, for noise of the autocovariance `covariance` (lags of 8 px): Σ_l c(l) (δ − 2 g + g ⋆ g)(l). Exact but for noise beyond those lags. */
function maskVariance(covariance: readonly number[], widthPx: number): number {
  const side = Math.sqrt(covariance.length);
  const reach = (side - 1) / 2;
  const sigma2 = (widthPx * SIGMA_OVER_FWHM) ** 2;
  const gaussian = (r2: number, variance: number) => Math.exp(-r2 / (2 * variance)) / (2 * Math.PI * variance);
  return covariance.reduce((sum, value, k) => {
    const r2 = ((k % side) - reach) ** 2 + (Math.floor(k / side) - reach) ** 2;
    const at = (r2 === 0 ? 1 : 0) - 2 * gaussian(r2, sigma2) + gaussian(r2, 2 * sigma2);
    return sum + value * at;
  }, 0);
}

/** What a picture has over its Gaussian mean, raised: x + amount · share · (x − G x). Source: common practice (of the darkroom); gate own. */
export const unsharpMask = raisingOfDetail({
  id: "detail.unsharp-mask",
  version: 1,
  words: {
    title: "Unsharp mask",
    short: "Unsharp",
    summary: "Raises what differs from its surroundings, what is noise left as it is.",
  },
  disturbedWeight: 0.9,
  fields: {
    amount: slider({
      label: "Amount",
      hint: "How many times what differs from the surroundings is added",
      min: 0.05,
      max: 5,
      step: 0.05,
      default: 1,
    }),
    widthPx: slider({
      label: "Width",
      hint: "Width of the surroundings: detail up to about this size is raised",
      unit: "px",
      min: 1,
      max: 40,
      step: 0.5,
      default: 6,
    }),
  },
  reach: ({ widthPx }) => gaussianReach(widthPx) + powerReach(scaleOf(widthPx)),
  raise({ plane, width, height, covariance }, { amount, widthPx }, share, job) {
    const mean = job.kernels.convolve(plane, width, height, gaussianPsf(widthPx));
    const detail = difference(plane, mean);
    const variance = maskVariance(covariance, widthPx);
    const power = powerOf(detail, width, height, variance, scaleOf(widthPx), job);
    return plane.map((v, i) => v + amount * (power ? share(power[i], variance) : 1) * detail[i]);
  },
});

import { stabilisedRaster, componentsOf } from "../../facts";
import { drawDisc, matchedPeaks, moffatRadius, PEAKS_HALO } from "../../measure";
import { slider } from "../../parameters";
import { maskKind } from "../kind";

/** A star's disc is never wider, in px. */
const WIDEST = 60;

/**
 * Stars: discs about the peaks of a matched filter, out to where the star's Moffat profile has fallen to the noise. Found in the picture whose noise is even, so that knots of bright gas count no more than
 * elsewhere. Nothing in a picture without a measured star.
 */
export const stars = maskKind({
  id: "stars",
  title: "Stars",
  summary: "Stars, each as far out as it rises above the noise.",
  drawn: null,
  needs: ["noiseModel", "psf"],
  fields: {
    snr: slider({
      label: "Stars from",
      hint: "How clearly a star must stand above the noise to be in the mask",
      unit: "σ",
      min: 4,
      max: 200,
      step: 1,
      default: 8,
    }),
    size: slider({
      label: "Size",
      hint: "Radius of the discs; at 1 they end where the star's light has fallen to the noise",
      min: 0.3,
      max: 3,
      step: 0.05,
      default: 1,
    }),
    soft: slider({
      label: "Soft edge",
      hint: "Width over which a disc fades out",
      unit: "px",
      min: 0,
      max: 20,
      step: 0.5,
      default: 2,
    }),
  },
  reach: ({ soft }) => WIDEST + Math.ceil(soft) + PEAKS_HALO,
  values({ raster, x: left, y: top, facts: { noiseModel, psf }, job }, { snr, size, soft }) {
    const { width, height } = raster;
    const out = new Float32Array(width * height);
    const { fwhmPx, beta } = psf;
    if (fwhmPx === null || beta === null) return out;
    const [light] = componentsOf(stabilisedRaster(raster, noiseModel, left, top));
    const [covariance] = noiseModel.covariance;
    const sigma = Math.sqrt(covariance[covariance.length >> 1]);
    for (const { x, y, answers } of matchedPeaks(
      [light],
      width,
      height,
      { fwhmPx, beta },
      covariance,
      snr,
      job.kernels,
    )) {
      const radius = Math.min(WIDEST, size * Math.max(fwhmPx, moffatRadius(fwhmPx, beta, answers[0] / sigma)));
      drawDisc(out, width, height, { x, y, radius, soft });
    }
    return out;
  },
});

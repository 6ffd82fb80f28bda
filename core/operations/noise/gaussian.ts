import type { Psf } from "../../kernels";
import { slider } from "../../parameters";
import { noiseApproach } from "./approach";

/** FWHM over σ. */
const FWHM = Math.sqrt(8 * Math.LN2);
/** The kernel is cut off where it has fallen to e^−8 of its height. */
const REACH_SIGMA = 4;

const reachOf = (fwhmPx: number): number => Math.max(1, Math.ceil((REACH_SIGMA * fwhmPx) / FWHM));

function gaussianPsf(fwhmPx: number): Psf {
  const radius = reachOf(fwhmPx);
  const size = 2 * radius + 1;
  const perR2 = (4 * Math.LN2) / fwhmPx ** 2;
  const values = Float32Array.from({ length: size * size }, (_, k) =>
    Math.exp(-perR2 * (((k % size) - radius) ** 2 + (Math.floor(k / size) - radius) ** 2)),
  );
  const sum = values.reduce((a, b) => a + b, 0);
  return { size, values: values.map((v) => v / sum) };
}

/** The mean of neighbours by a Gaussian, whatever they show: what every other approach must beat. */
export const gaussian = noiseApproach({
  id: "noise.gaussian",
  version: 1,
  title: "Gaussian smoothing",
  short: "Gaussian",
  summary: "Averages neighbours whatever they show: the plain measure that others must beat.",
  fields: {
    fwhmPx: slider({
      label: "Width",
      hint: "Width over which neighbours are averaged; detail narrower than that goes with the noise",
      unit: "px",
      min: 0.5,
      max: 12,
      step: 0.1,
      default: 2.5,
    }),
  },
  needs: [],
  reach: ({ fwhmPx }) => reachOf(fwhmPx),
  clean: ({ plane, width, height }, { fwhmPx }, _facts, job) =>
    job.kernels.convolve(plane, width, height, gaussianPsf(fwhmPx)),
});

import { slider } from "../../parameters";
import { gaussianPsf, gaussianReach } from "../gaussianPsf";
import { noiseApproach } from "./approach";

/** The mean of neighbours by a Gaussian, whatever they show: what every other approach must beat. */
export const gaussian = noiseApproach({
  id: "noise.gaussian",
  version: 1,
  words: {
    title: "Gaussian smoothing",
    short: "Gaussian",
    summary: "Averages neighbours whatever they show: the plain measure that others must beat.",
  },
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
  needs: () => [],
  reach: ({ fwhmPx }) => gaussianReach(fwhmPx),
  clean: ({ plane, width, height }, { fwhmPx }, _facts, job) =>
    job.kernels.convolve(plane, width, height, gaussianPsf(fwhmPx)),
});

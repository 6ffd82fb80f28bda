import { slider } from "../../parameters";
import { noiseApproach } from "./approach";

/** Bilateral filter: neighbours count by nearness and by likeness. Source: Tomasi & Manduchi 1998, ICCV, 839. */
export const bilateral = noiseApproach({
  id: "noise.bilateral",
  version: 1,
  words: {
    title: "Bilateral filter",
    short: "Bilateral",
    summary: "Averages neighbours that are about as bright, and leaves edges alone.",
  },
  disturbedWeight: 1,
  fields: {
    radius: slider({
      label: "Radius",
      hint: "How far neighbours are looked for",
      unit: "px",
      min: 1,
      max: 12,
      step: 1,
      default: 4,
    }),
    range: slider({
      label: "Likeness",
      hint: "Neighbours count that differ by no more than about so many σ of the noise",
      unit: "σ",
      min: 0.5,
      max: 8,
      step: 0.1,
      default: 3.5,
    }),
  },
  needs: () => [],
  reach: ({ radius }) => radius,
  clean: ({ plane, width, height }, settings, _facts, job) => job.kernels.bilateral(plane, width, height, settings),
});

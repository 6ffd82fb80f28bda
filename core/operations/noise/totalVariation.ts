import { slider } from "../../parameters";
import { noiseApproach } from "./approach";

/** Total variation: the picture with the least slopes that still fits. Source: Rudin, Osher & Fatemi 1992, Physica D 60, 259. */
export const totalVariation = noiseApproach({
  id: "noise.total-variation",
  version: 1,
  title: "Total variation",
  short: "Variation",
  summary: "Finds the flattest picture that still fits: edges stay, faint gradients become steps.",
  fields: {
    weight: slider({
      label: "Flatness",
      hint: "How much flatness is worth against fitting the picture; higher is flatter",
      unit: "σ",
      min: 0.1,
      max: 6,
      step: 0.1,
      default: 1,
    }),
    iterations: slider({
      label: "Iterations",
      hint: "Steps towards the flattest picture; more are slower and reach wide areas",
      min: 10,
      max: 200,
      step: 10,
      default: 50,
    }),
  },
  needs: [],
  reach: ({ iterations }) => iterations + 2,
  clean: ({ plane, width, height }, settings, _facts, job) =>
    job.kernels.totalVariation(plane, width, height, settings),
});

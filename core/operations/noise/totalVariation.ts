import { choice, slider } from "../../parameters";
import { noiseApproach } from "./approach";

/**
 * Total variation: the picture with the least slopes that still fits, or (its second-order kind) with the least changes of slope.
 * Sources: Rudin, Osher & Fatemi 1992, Physica D 60, 259; Bredies, Kunisch & Pock 2010, SIAM J. Imaging Sci. 3, 492.
 */
export const totalVariation = noiseApproach({
  id: "noise.total-variation",
  version: 1,
  words: {
    title: "Total variation",
    short: "Variation",
    summary: "Finds the flattest picture, or the one of the steadiest slopes, that still fits: edges stay.",
  },
  disturbedWeight: 0.7,
  fields: {
    order: choice({
      label: "Least",
      hint: "Slopes: faint gradients become steps; changes of slope: they stay even, which takes longer",
      options: [
        { value: "first", label: "slopes" },
        { value: "second", label: "changes of slope" },
      ],
      default: "first",
    }),
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
  needs: () => [],
  reach: ({ iterations }) => iterations + 2,
  clean({ plane, width, height }, { order, weight, iterations }, _facts, job) {
    return order === "first"
      ? job.kernels.totalVariation(plane, width, height, { weight, iterations })
      : job.kernels.secondVariation(plane, width, height, { weight, bend: BEND, iterations });
  },
});

/** How much a change of slope counts beside a slope that is not followed: what is usual. Source: Knoll, Bredies, Pock & Stollberger 2011, Magn. Reson. Med. 65, 480. */
const BEND = 2;
